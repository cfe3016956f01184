"""A finished page said in inches, for browsers that were told so.

Everything is measured, kept and written in millimetres. A page is put into inches as a whole, where
it leaves: a number and its unit are always changed together, so that what is not understood here
still says mm, and says it truly.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from mirvo.core.lengths import INCHES, MM_PER_INCH
from mirvo.web.form_models import LENGTH_FIELDS, UNITS_FIELD

# What may stand within a figure and its unit: "<span>42.0</span> <span>mm</span>".
WITHIN = frozenset({"a", "abbr", "b", "em", "i", "small", "span", "strong", "time", "tspan"})
# Whose text a form sends.
SENT_BACK = frozenset({"textarea", "option"})
PIECES = re.compile(r"(<[^>]*>)")
# Where a tag stood within a line of text.
MARK = "\ue000"
SPACE = rf"(?:[\s{MARK}]|&nbsp;|&#160;|&thinsp;)*"
# No length has more digits; what has is no figure of this page.
NUMBER = r"(?<![\w.,-])[-−+]?[0-9]{1,9}(?:\.[0-9]{1,9})?(?![\d.]*\w)"
BETWEEN = rf"{SPACE}(?:±|to|and|or|by|of|x|×|–){SPACE}(?:±{SPACE})?"
LENGTHS = re.compile(rf"{NUMBER}(?:{BETWEEN}{NUMBER})*(?={SPACE}mm\b(?!²|³| equivalent))")
UNIT = re.compile(r"\bmm\b(?!²|³| equivalent)")
# "42.0 mm ±0.6": what follows the unit belongs to it, unless it has one of its own.
AFTER = re.compile(rf"{SPACE}\(?±{SPACE}{NUMBER}(?!{SPACE}[%°])")
ONE_NUMBER = re.compile(NUMBER)
# Numbers without a fraction that stand for a year.
YEARS = range(1900, 2200)
SAID = re.compile(r'(\s(?:aria-label|aria-valuetext|title|alt|placeholder)=")([^"]*)(")')
VALUE = re.compile(r'(\svalue=")([^"]*)(")')
NAME = re.compile(r'\sname="([^"]*)"')
OTHER_UNITS = re.compile(r"mm|%|°|\bg\b|\bkg\b|\bl\b|[a-z]{3}", re.IGNORECASE)


def in_inches(page: str) -> str:
    """The same page with its lengths in inches, in texts, columns, labels and fields."""
    pieces = PIECES.split(page.replace(MARK, ""))
    _columns(pieces)
    _fields(pieces)
    for run in _runs(pieces):
        text = MARK.join(pieces[at] for at in run)
        if "mm" in text:
            for at, said in zip(run, _said(text).split(MARK), strict=True):
                pieces[at] = said
    for at in range(1, len(pieces), 2):
        if "mm" in pieces[at]:
            pieces[at] = SAID.sub(lambda found: found[1] + _said(found[2]) + found[3], pieces[at])
        if _name(pieces[at]) == "form" and "post" in pieces[at]:
            pieces[at] += f'<input type="hidden" name="{UNITS_FIELD}" value="{INCHES}">'
    return "".join(pieces)


def _said(text: str) -> str:
    """Lengths in a line of text; "12 ± 1 mm" is "0.47 ± 0.04 in"."""
    parts, last = [], 0
    for found in LENGTHS.finditer(text):
        unit = UNIT.search(text, found.end())
        if unit is None:
            continue
        numbers = ONE_NUMBER.sub(lambda number: _inches(number[0]), found[0])
        parts += [text[last : found.start()], numbers, text[found.end() : unit.start()], "in"]
        last = unit.end()
        if after := AFTER.match(text, last):
            parts.append(ONE_NUMBER.sub(lambda number: _inches(number[0]), after[0]))
            last = after.end()
    return "".join(parts) + text[last:]


def _inches(number: str) -> str:
    """A number of mm in inches, to about the same fineness."""
    text = number.replace("−", "-")
    value = float(text)
    if "." not in text and round(value) in YEARS:
        return number
    inches = value / MM_PER_INCH
    digits = 1 if "." not in text and abs(value) >= 200 else 2
    said = f"{inches:.{digits}f}"
    # What is not nothing is not said to be nothing.
    if float(said) == 0:
        said = f"{inches:.3f}" if value else "0"
    sign = "+" if text.startswith("+") else ""
    return sign + (said.replace("-", "−") if number.startswith("−") else said)


def _name(tag: str) -> str:
    return tag[1:].split(None, 1)[0].rstrip(">/").lower() if tag.startswith("<") else ""


def _runs(pieces: list[str]) -> Iterator[list[int]]:
    """Indices of the texts that are read as one line; what a form sends back as it is, is none."""
    run: list[int] = []
    for at, piece in enumerate(pieces):
        if at % 2 == 0:
            if at == 0 or _name(pieces[at - 1]) not in SENT_BACK:
                run.append(at)
        elif _name(piece).lstrip("/") not in WITHIN:
            yield run
            run = []
    yield run


def _columns(pieces: list[str]) -> None:
    """Columns of tables whose heading names mm without a number."""
    in_mm: set[int] = set()
    column, heading, cell = -1, False, False
    for at, piece in enumerate(pieces):
        if at % 2:
            name = _name(piece)
            if name == "table":
                in_mm = set()
            elif name in ("tr", "/tr"):
                column = -1
            elif name in ("th", "td"):
                column, heading, cell = column + 1, name == "th", True
            elif name in ("/th", "/td"):
                cell = False
        elif cell and heading and UNIT.search(piece) and not LENGTHS.search(piece):
            in_mm.add(column)
            pieces[at] = UNIT.sub("in", piece)
        elif cell and not heading and column in in_mm and not OTHER_UNITS.search(piece):
            pieces[at] = ONE_NUMBER.sub(lambda number: _inches(number[0]), piece)


def _fields(pieces: list[str]) -> None:
    """Fields that hold a length, with the unit their label names."""
    label = -1
    for at, piece in enumerate(pieces):
        if at % 2 == 0:
            if UNIT.search(piece) and not LENGTHS.search(piece):
                label = at
            continue
        name = _name(piece)
        if name != "input":
            continue
        named = NAME.search(piece)
        if " data-length" in piece or (named and named[1] in LENGTH_FIELDS):
            pieces[at] = _field(piece)
            if label >= 0:
                pieces[label] = UNIT.sub("in", pieces[label])
        label = -1


def _field(tag: str) -> str:
    def value(found: re.Match[str]) -> str:
        return found[1] + ONE_NUMBER.sub(lambda number: _fine(number[0]), found[2]) + found[3]

    shown = VALUE.sub(value, tag) if re.search(r'\svalue="[-−\d.]+"', tag) else tag
    shown = re.sub(r'(\saria-label="[^"]*)\bmm\b', r"\1in", shown)
    return re.sub(r"\s*/?>$", ' data-unit="in">', shown)


def _fine(number: str) -> str:
    """As it stands in a field: fine enough to come back as the same length."""
    return f"{round(float(number.replace('−', '-')) / MM_PER_INCH, 3):g}"
