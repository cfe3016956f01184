"""Lengths as the reader of a page wants them: in millimetres or in inches.

Everything is measured, kept and sent in millimetres. A length reaches a template, a drawing or a
document as a number of mm and leaves it through one of these functions.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from markupsafe import Markup

from mirvo.core.lengths import INCHES, MM, MM_PER_INCH
from mirvo.core.measure.figure import Figure
from mirvo.web.form_models import UNITS_FIELD

# Of the request that is being answered: MM or INCHES.
units_of_request: ContextVar[str] = ContextVar("units_of_request", default=MM)
UNIT_SIGNS = {MM: "mm", INCHES: "in"}
# From here on a length that is whole in mm has one decimal place in inches, below it two.
MIN_COARSE_MM = 200.0
PLACES_IN_FIELDS = 3
NUMBER = r"[-−+]?[0-9]{1,9}(?:\.[0-9]{1,9})?"
# "12 ± 1 mm", "12 to 15 mm", sizes with a sign between them; a square millimetre is no length.
BETWEEN = r"\s*(?:±|to|and|or|by|of|×|–)\s*"
IN_SENTENCE = re.compile(
    rf"(?<![\w.,-])({NUMBER}(?:{BETWEEN}{NUMBER})*)(\s*)mm\b(?!²|³| equivalent)"
)
ONE_NUMBER = re.compile(NUMBER)
# What somebody typed stands in quotes, and stays as it was typed.
QUOTED = re.compile("(“[^”]*”|'[^']*')")


@contextmanager
def read_in(units: str) -> Iterator[None]:
    """Lengths made within are in these units: MM or INCHES."""
    token = units_of_request.set(units)
    try:
        yield
    finally:
        units_of_request.reset(token)


def in_inches() -> bool:
    """Whether whoever reads this page has it in inches."""
    return units_of_request.get() == INCHES


def unit() -> str:
    """The sign of the reader's unit: "mm" or "in"."""
    return UNIT_SIGNS[units_of_request.get()]


def in_units(mm: float | None, places: int = 0) -> str:
    """A length in the reader's unit, without its sign; nothing for None.

    places : decimal places in mm; inches have what is about as fine.
    """
    if mm is None:
        return ""
    text = f"{_inches(mm, places)}" if in_inches() else f"{mm:.{places}f}"
    # What rounds to nothing from below has no sign.
    return text[1:] if text.startswith("-") and not text.strip("-0.") else text


def length_text(mm: float | None, places: int = 0) -> str:
    """A length with its unit: "42 mm" or "1.65 in"."""
    return "" if mm is None else f"{in_units(mm, places)} {unit()}"


def length(mm: float | None, places: int = 0) -> Markup:
    """The same, its unit set apart as a page sets units."""
    if mm is None:
        return Markup()
    return Markup('{} <span class="unit">{}</span>').format(in_units(mm, places), unit())


def sizes(*sizes_mm: float) -> str:
    """Sizes of one thing, without a unit: "40 × 30 × 20"."""
    return " × ".join(map(in_units, sizes_mm))


def sizes_text(*sizes_mm: float) -> str:
    """Sizes of one thing: "40 × 30 × 20 mm"."""
    return f"{sizes(*sizes_mm)} {unit()}"


def signed_length(mm: float, places: int = 0) -> str:
    """A difference in the reader's unit with its sign; none where it rounds to nothing."""
    text = in_units(mm, places)
    return text if text.startswith("-") or not float(text) else f"+{text}"


def per_length(per_mm: float) -> str:
    """How many of something a mm or an inch has."""
    return f"{per_mm * MM_PER_INCH:.0f}" if in_inches() else f"{per_mm:g}"


def margin(figure: Figure, places: int = 0) -> str:
    """The ± of a length in the reader's unit; a place more where it would read as nothing."""
    said = in_units(figure.plus_minus, places)
    return (
        in_units(figure.plus_minus, places + 1) if figure.plus_minus and not float(said) else said
    )


def bare_unit() -> Markup:
    """Beside a field that holds a length: tells the server what a number without a unit is."""
    sent = Markup('<input type="hidden" name="{}" value="{}">').format(UNITS_FIELD, INCHES)
    return sent if in_inches() else Markup()


def typed_unit() -> Markup:
    """In the tag of a field that holds a length: tells scripts the same."""
    return Markup('data-unit="in"') if in_inches() else Markup()


def in_field(typed: object) -> str:
    """A length in mm as a field shows it, fine enough to come back as the same; what is no number
    stays as it was typed."""
    text = str(typed)
    if not in_inches() or not re.fullmatch(NUMBER, text):
        return text
    return f"{round(float(text.replace('−', '-')) / MM_PER_INCH, PLACES_IN_FIELDS):g}"


def lengths_in(sentence: str) -> str:
    """One of Mirvo's own sentences with the lengths in it in the reader's unit."""
    if not in_inches() or "mm" not in sentence:
        return sentence
    return "".join(
        part if at % 2 else IN_SENTENCE.sub(_converted, part)
        for at, part in enumerate(QUOTED.split(sentence))
    )


def _converted(found: re.Match[str]) -> str:
    numbers = ONE_NUMBER.sub(lambda number: _number(number[0]), found[1])
    return f"{numbers}{found[2]}{UNIT_SIGNS[INCHES]}"


def _number(text: str) -> str:
    places = len(text.partition(".")[2])
    said = _inches(float(text.replace("−", "-")), places)
    sign = "+" if text.startswith("+") else ""
    return sign + (said.replace("-", "−") if text.startswith("−") else said)


def _inches(mm: float, places: int) -> str:
    fine = 1 if places == 0 and abs(mm) >= MIN_COARSE_MM else 2
    said = f"{mm / MM_PER_INCH:.{fine}f}"
    # What is not nothing never reads as nothing.
    return said if float(said) or not mm else f"{mm / MM_PER_INCH:.{PLACES_IN_FIELDS}f}"
