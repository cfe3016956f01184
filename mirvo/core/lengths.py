"""Lengths as people type them: in millimetres, or in any unit they name."""

from __future__ import annotations

import re

MM_PER_INCH = 25.4
MM, INCHES = "mm", "inches"
# An inch is written in more ways than any other unit.
UNITS = {
    "": None,
    "mm": 1.0,
    "cm": 10.0,
    "m": 1000.0,
    "ft": 12 * MM_PER_INCH,
    "feet": 12 * MM_PER_INCH,
    "foot": 12 * MM_PER_INCH,
    "in": MM_PER_INCH,
    "in.": MM_PER_INCH,
    "inch": MM_PER_INCH,
    "inches": MM_PER_INCH,
    '"': MM_PER_INCH,
    "″": MM_PER_INCH,
    "”": MM_PER_INCH,
}
# Among what an annotation of a form's field says: what it holds is a length, kept in mm.
LENGTH = "a length in mm"
MOST_LETTERS = 30
MINUS = frozenset("-−")
TYPED = re.compile(
    r"(?P<sign>[-−+]?)\s*(?:(?P<whole>[0-9]+(?:[.,][0-9]+)?|[.,][0-9]+))?"
    r"(?:(?P<gap>[\s-]*)(?P<above>[0-9]+)\s*/\s*(?P<below>[0-9]+))?\s*(?P<unit>[a-z.\"″”]*)"
)


def read_length(text: str, bare: str = MM) -> float | None:
    """A typed length in mm; None where it says none.

    bare : MM or INCHES, of a number without a unit.

    >>> read_length("52"), read_length("2.5 in"), read_length('2 1/2"'), read_length("5,2 cm")
    (52.0, 63.5, 63.5, 52.0)
    >>> read_length("2", INCHES), read_length("thumb wide") is None
    (50.8, True)
    """
    found = TYPED.fullmatch(text.strip().lower()) if len(text) <= MOST_LETTERS else None
    if found is None or found["unit"] not in UNITS:
        return None
    whole, above = found["whole"], found["above"]
    if whole is None and above is None:
        return None
    # "21/2" is twenty-one halves: a whole number stands apart from its fraction.
    if whole is not None and above is not None and (not found["gap"] or not whole.isdigit()):
        return None
    value = float(whole.replace(",", ".")) if whole is not None else 0.0
    if above is not None:
        if int(found["below"]) == 0:
            return None
        value += int(above) / int(found["below"])
    size = UNITS[found["unit"]] or (MM_PER_INCH if bare == INCHES else 1.0)
    return (-value if found["sign"] in MINUS else value) * size
