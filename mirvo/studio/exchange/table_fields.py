"""What the rows of somebody's own table can say, and how people head and write it."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date
from typing import Literal

from mirvo.core.almanac import Species
from mirvo.core.complaints import must_be
from mirvo.core.errors import BadInput
from mirvo.core.lengths import INCHES, MM, read_length
from mirvo.core.limits.trees import ORIGINS, unknown_species
from mirvo.core.rootwork.kinds import KINDS
from mirvo.core.typed_values import read_day
from mirvo.formats.spreadsheet import Cell

Reads = Literal["text", "day", "length", "number", "whole", "percent", "species", "choice", "tree"]
SLASHED = re.compile(r"\s*([0-9]{1,4})[/.\-]([0-9]{1,2})[/.\-]([0-9]{1,4})\s*")
DAY_FIRST, MONTH_FIRST = "day", "month"
MONTH = re.compile(r"([a-z]{3,9})\.?,?\s+((?:19|20)[0-9]{2})")
PART = re.compile(r"([0-9]{1,3})\s*/\s*([1-9][0-9]{0,2})")
NUMBERED = re.compile(r"[-−+]?[0-9]+(?:[.,][0-9]+)?")
# Days before this are no dates of a studio: more likely a column was mistaken.
FIRST_YEAR = 1900


@dataclass(frozen=True)
class FieldOf:
    """One thing a row can say. key : of the form it goes into. words : headings it goes by, in
    small letters, the first shown. choices : what people write, and what it means."""

    key: str
    words: tuple[str, ...]
    reads: Reads = "text"
    choices: tuple[tuple[str, str], ...] = ()
    needed: bool = False

    @property
    def label(self) -> str:
        return self.words[0]


def _same(*names: str) -> tuple[tuple[str, str], ...]:
    return tuple((name, name) for name in names)


STRENGTH = (
    *_same("strong", "fair", "weak"),
    *(("good", "strong"), ("healthy", "strong"), ("vigorous", "strong"), ("ok", "fair")),
    *(("medium", "fair"), ("moderate", "fair"), ("poor", "weak"), ("sick", "weak")),
)
AGES = (*_same("young", "mature", "old"), ("middle", "mature"), ("ancient", "old"))
ORIGIN = (
    *_same(*ORIGINS),
    *(("nursery", "nursery container"), ("garden centre", "nursery container")),
    *(("dug", "dug from a garden"), ("garden", "dug from a garden"), ("field", "field grown")),
    *(("wild", "collected with permission"), ("collected", "collected with permission")),
    *(("seedling", "seed"), ("from seed", "seed"), ("airlayer", "air layer")),
    *(("layer", "air layer"), ("grafted", "graft"), ("bare root", "bare-root purchase")),
)
SESSION_KINDS = (
    *((kind.key, kind.key) for kind in KINDS),
    *((kind.name.lower(), kind.key) for kind in KINDS),
    *(("repot", "routine"), ("repotted", "routine"), ("repotting", "routine")),
    *(("root prune", "routine"), ("root pruning", "routine"), ("potted up", "slip-pot")),
    *(("slip potted", "slip-pot"), ("slip potting", "slip-pot"), ("up-pot", "slip-pot")),
    *(("dug", "collection"), ("collected", "collection"), ("soil change", "change-soil")),
    *(("air layer", "layer"), ("ground layer", "layer"), ("emergency repot", "emergency")),
    *(("first repot", "first"), ("raised", "raise"), ("grafting", "graft")),
)
SHAPES = (
    *_same("rectangle", "rounded", "oval", "round", "drum", "crescent", "slab", "box", "basket"),
    *(("rectangular", "rectangle"), ("square", "rectangle"), ("circle", "round")),
)
TREE = FieldOf("tree", ("tree", "tree name", "bonsai", "plant", "name"), "tree", needed=True)
FIELDS: dict[str, tuple[FieldOf, ...]] = {
    "trees": (
        FieldOf("name", ("name", "tree", "tree name", "bonsai", "plant"), needed=True),
        FieldOf(
            "species_key",
            (
                "species",
                "kind",
                "variety",
                "scientific name",
                "latin name",
                "botanical name",
                "type",
            ),
            "species",
            needed=True,
        ),
        FieldOf("origin", ("origin", "source", "from", "provenance"), "choice", ORIGIN),
        FieldOf(
            "acquired_on",
            ("came on", "acquired", "acquired on", "bought", "date", "since", "got it"),
            "day",
        ),
        FieldOf(
            "last_repotted_on",
            ("last repotted", "last repotted on", "last repot", "repotted"),
            "day",
        ),
        FieldOf("age_years", ("age", "age years", "years old"), "whole"),
        FieldOf(
            "strength", ("strength", "health", "vigour", "vigor", "condition"), "choice", STRENGTH
        ),
        FieldOf("age_class", ("age class",), "choice", AGES),
        FieldOf("height_mm", ("height", "tall"), "length"),
        FieldOf("trunk_mm", ("trunk", "trunk diameter", "diameter"), "length"),
        FieldOf("pot_depth_mm", ("pot depth", "depth of pot"), "length"),
        FieldOf(
            "former_owners", ("former owners", "former owner", "previous owner", "bought from")
        ),
        FieldOf("price", ("price", "cost", "paid")),
        FieldOf("batch", ("batch", "group")),
        FieldOf("tags", ("tags", "labels", "collection")),
        FieldOf("note", ("note", "notes", "comment", "comments", "remarks")),
    ),
    "sessions": (
        TREE,
        FieldOf(
            "done_on",
            ("done on", "date", "day", "when", "repotted", "repotted on"),
            "day",
            needed=True,
        ),
        FieldOf("kind", ("kind", "type", "what", "work", "session"), "choice", SESSION_KINDS),
        FieldOf(
            "share_judged",
            ("share taken", "share", "roots removed", "root removed", "cut"),
            "percent",
        ),
        FieldOf(
            "ball_depth_before", ("ball before", "ball depth before", "depth before"), "length"
        ),
        FieldOf("ball_depth_after", ("ball after", "ball depth after", "depth after"), "length"),
        FieldOf("slice_mm", ("slice", "slice off", "bottom cut"), "length"),
        FieldOf("top_reduced", ("crown reduced", "top reduced", "crown"), "percent"),
        FieldOf("pot_after", ("pot", "into pot", "pot after", "new pot")),
        FieldOf("soil", ("soil", "mix", "substrate", "medium")),
        FieldOf("found", ("found", "findings", "observations")),
        FieldOf("next_time", ("next time", "next", "plan", "todo", "note", "notes", "comments")),
    ),
    "measurements": (
        TREE,
        FieldOf("measured_on", ("measured on", "date", "day", "when"), "day", needed=True),
        FieldOf("trunk_mm", ("trunk", "trunk diameter", "diameter", "caliper"), "length"),
        FieldOf(
            "spread_mm",
            ("spread mean", "spread", "root spread", "nebari", "nebari width", "flare"),
            "length",
        ),
        FieldOf("height_mm", ("height", "tall"), "length"),
    ),
    "roots": (
        TREE,
        FieldOf("label", ("root", "letter", "label"), needed=True),
        FieldOf("first_seen_on", ("first seen", "seen", "date"), "day"),
        FieldOf("gone_on", ("gone on", "removed", "removed on", "cut on"), "day"),
    ),
    "tasks": (
        TREE,
        FieldOf("text", ("what", "task", "todo", "to do", "work"), needed=True),
        FieldOf("due", ("due", "due on", "date", "when", "by"), "day", needed=True),
        FieldOf("done_on", ("done on", "done", "finished"), "day"),
    ),
    "pots": (
        FieldOf("name", ("name", "pot", "pot name"), needed=True),
        FieldOf("shape", ("shape", "form"), "choice", SHAPES),
        FieldOf("length_mm", ("length", "diameter", "size"), "length", needed=True),
        FieldOf("width_mm", ("width", "breadth"), "length"),
        FieldOf("depth_mm", ("depth", "height", "inner depth"), "length", needed=True),
        FieldOf("floor_length_mm", ("floor length", "bottom length"), "length"),
        FieldOf("floor_width_mm", ("floor width", "bottom width"), "length"),
        FieldOf("holes", ("holes", "drain holes"), "whole"),
        FieldOf("weight_kg", ("weight", "kg"), "number"),
        FieldOf("glaze", ("glaze", "colour", "color", "material")),
        FieldOf("place", ("place", "where", "location")),
        FieldOf("cost", ("cost", "price", "paid")),
        FieldOf("note", ("note", "notes", "comment", "comments")),
    ),
}
UNITS_IN_HEADING = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "inch": 25.4, "inches": 25.4}


def day_order(cells: list[Cell]) -> str:
    """Whether days of a column written as 3/12/2026 begin with the day or the month; "" where
    nothing tells.

    >>> day_order(["3/12/2026", "3/25/2026"]), day_order(["25/3/2026"]), day_order(["3/4/2026"])
    ('month', 'day', '')
    """
    for cell in cells:
        found = SLASHED.fullmatch(cell) if isinstance(cell, str) else None
        if found and len(found[1]) <= 2:
            if int(found[1]) > 12:
                return DAY_FIRST
            if int(found[2]) > 12:
                return MONTH_FIRST
    return ""


def read_cell(
    field: FieldOf, cell: Cell, unit: str, order: str, species: list[Species], today: date
) -> object:
    """What a cell says, as the form takes it; None for an empty one.

    Raises
    ------
    BadInput : it cannot be read as what its column says.
    """
    if cell is None:
        return None
    if field.reads == "day":
        return _day(field, cell, order, today)
    if field.reads == "length":
        return _length(field, cell, unit)
    if field.reads in ("number", "whole", "percent"):
        return _number(field, cell)
    said = _said(cell)
    if field.reads == "species":
        return _species(field, said, species)
    if field.reads == "choice":
        return _choice(field, said)
    return said


def _said(cell: Cell) -> str:
    if isinstance(cell, float) and cell.is_integer():
        return str(int(cell))
    return str(cell)


def _wrong(field: FieldOf, cell: Cell, what: str) -> BadInput:
    return BadInput(field.label, f"“{str(cell)[:40]}” {what}")


def _day(field: FieldOf, cell: Cell, order: str, today: date) -> date:
    if isinstance(cell, date):
        found: date | None = cell
    elif isinstance(cell, (int, float)) and FIRST_YEAR <= cell <= today.year and cell == int(cell):
        # A year alone: its first day, as good as any.
        found = date(int(cell), 1, 1)
    else:
        found = _read_day(str(cell), order, today)
    if found is None:
        slashed = isinstance(cell, str) and SLASHED.fullmatch(cell) is not None
        asks = "could be two days; say which comes first" if slashed else "is no day"
        raise _wrong(field, cell, asks)
    return found


def _read_day(text: str, order: str, today: date) -> date | None:
    plain = re.sub(r"[T ][0-9]{1,2}:[0-9]{2}.*$", "", text.strip())
    if re.fullmatch(r"(19|20)[0-9]{2}", plain):
        return date(int(plain), 1, 1)
    found = SLASHED.fullmatch(plain)
    if (found and len(found[1]) <= 2 and "/" in plain) or (
        found and plain.count("-") == 2 and len(found[1]) <= 2
    ):
        first, second, year = (int(part) for part in found.groups())
        year += 2000 if year < 100 else 0
        told = DAY_FIRST if first > 12 else MONTH_FIRST if second > 12 else order
        if not told:
            return None
        day, month = (first, second) if told == DAY_FIRST else (second, first)
        return _date(year, month, day)
    if found and len(found[1]) == 4:
        return _date(*(int(part) for part in found.groups()))
    # A month alone: its first day.
    if named := MONTH.fullmatch(plain.lower()):
        return read_day(f"1 {named[1]} {named[2]}", today)
    if numbered := re.fullmatch(r"([0-9]{4})-([0-9]{2})", plain):
        return _date(int(numbered[1]), int(numbered[2]), 1)
    return read_day(plain, today)


def _date(year: int, month: int, day: int) -> date | None:
    try:
        return date(year, month, day)
    except ValueError:
        return None


def _length(field: FieldOf, cell: Cell, unit: str) -> float:
    size = UNITS_IN_HEADING.get(unit, 1.0)
    if isinstance(cell, (int, float)) and not isinstance(cell, bool):
        return float(cell) * size
    text = str(cell).strip().lower().removeprefix("~").removeprefix("ca.").strip()
    if NUMBERED.fullmatch(text):
        return float(text.replace(",", ".").replace("−", "-")) * size
    found = read_length(text, INCHES if size == UNITS_IN_HEADING["in"] else MM)
    if found is None:
        raise _wrong(field, cell, "is no length, such as 45, 4.5 cm or 2 1/2 in")
    return found


def _number(field: FieldOf, cell: Cell) -> float | int:
    if isinstance(cell, bool):
        raise _wrong(field, cell, "is no number")
    if isinstance(cell, (int, float)):
        value = float(cell)
    else:
        text = re.sub(r"\s*(%|kg|years?|yrs?)$", "", str(cell).strip().lower()).strip("~ ")
        part = PART.fullmatch(text) if field.reads == "percent" else None
        if part:
            return 100 * int(part[1]) / int(part[2])
        if not NUMBERED.fullmatch(text):
            raise _wrong(field, cell, "is no number")
        value = float(text.replace(",", ".").replace("−", "-"))
        if field.reads == "percent" and str(cell).strip().endswith("%"):
            return value
    if field.reads == "percent" and 0 < value <= 1:
        # A cell a spreadsheet shows as 40 % holds 0.4.
        return value * 100
    if field.reads == "whole":
        if value != int(value):
            raise _wrong(field, cell, "is no whole number")
        return int(value)
    return value


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]+", " ", text.lower()).strip()


def _species(field: FieldOf, said: str, species: list[Species]) -> str:
    wanted = _plain(re.sub(r"['‘’\"“”].*$", "", said)) or _plain(said)
    names = {
        _plain(name): one.key
        for one in species
        for name in (one.key, *one.synonyms, one.scientific, one.name)
        if name
    }
    if wanted in names:
        return names[wanted]
    # "Japanese maple, dwarf" and "Acer palmatum Deshojo" are of the species they begin with.
    begins = [name for name in names if wanted.startswith(name + " ")]
    if begins:
        return names[max(begins, key=len)]
    ends = [name for name in names if name.endswith(" " + wanted) or name.startswith(wanted + " ")]
    if len({names[name] for name in ends}) == 1:
        return names[ends[0]]
    raise BadInput(field.label, unknown_species(said))


def _choice(field: FieldOf, said: str) -> str:
    wanted = _plain(said)
    known = {_plain(text): meant for text, meant in field.choices}
    if wanted in known:
        return known[wanted]
    part = next((text for text in sorted(known, key=len, reverse=True) if text in wanted), None)
    if part is not None and len(part) > 2:
        return known[part]
    raise BadInput(field.label, must_be(tuple(dict.fromkeys(known.values()))))
