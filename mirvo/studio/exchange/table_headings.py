"""What a column of somebody's table means, by its heading."""

from __future__ import annotations

import re

from mirvo.studio.exchange.table_fields import FIELDS


def heading(text: str) -> tuple[str, str]:
    """A heading in small letters without its unit, and the unit.

    >>> heading("Trunk (cm)"), heading("Height in mm"), heading("Date_acquired")
    (('trunk', 'cm'), ('height', 'mm'), ('date acquired', ''))
    """
    words = re.sub(r"[_\s]+", " ", text.lower()).strip()
    unit = ""
    found = re.search(r"[(\[]\s*([^)\]]*)\s*[)\]]\s*$", words)
    if found:
        unit, words = found[1].strip(" ."), words[: found.start()].strip()
    elif found := re.search(r"(?:,| in)?\s+(mm|cm|inches|inch)$", words):
        unit, words = found[1], words[: found.start()].strip(" ,")
    return words.strip(" :.#"), unit


def guess(kind: str, header: tuple[str, ...]) -> dict[int, str]:
    """Which column says what, by its place: headings as people write them.

    No two columns are given the same meaning; what says nothing known is left out.
    """
    plain = {place: heading(text)[0] for place, text in enumerate(header) if text}
    chosen: dict[int, str] = {}
    # Whole headings first, so that "trunk note" does not take the place of "trunk".
    for whole in (True, False):
        for field in FIELDS[kind]:
            if field.key in chosen.values():
                continue
            for word in field.words:
                free = [place for place in plain if place not in chosen]
                place = next((at for at in free if _means(plain[at], word, whole)), None)
                if place is not None:
                    chosen[place] = field.key
                    break
    return chosen


def _means(said: str, word: str, whole: bool) -> bool:
    return said == word if whole else len(word) > 3 and said.startswith(word)


def likely_kind(header: tuple[str, ...]) -> str:
    """Which kind of table a heading looks like: the one that knows most of its columns."""

    def known(kind: str) -> tuple[bool, int]:
        keys = set(guess(kind, header).values())
        whole = all(field.key in keys for field in FIELDS[kind] if field.needed)
        return whole, len(keys)

    return max(FIELDS, key=known)
