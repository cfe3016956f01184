"""Signs seen on a tree, what to look at, and steps that only delay."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

SIGNS = (
    *("roots_at_holes", "ball_lifting", "water_stands", "soil_decayed", "stays_wet"),
    *("thick_moss", "weak_growth", "dying_shoots", "dark_ring", "sour_soil", "pest"),
    "pot_broken",
)
ALARMS = ("dying_shoots", "sour_soil", "pest", "dark_ring")
WETNESS = ("stays_wet", "water_stands")
# Each of these alone asks for the very next window.
URGENT = ("ball_lifting", "water_stands", "soil_decayed")
# Steps that only delay, with the signs that ask for them.
DELAYS = {
    "slip-pot": ("roots_at_holes", "ball_lifting"),
    "edge-cut": ("water_stands", "stays_wet"),
    "base-lift": ("soil_decayed",),
    "top-up": ("thick_moss",),
}
# What to look at before anything is cut, in this order.
DIAGNOSIS = ("dark_ring", "sour_soil", "root_colour", "pest", "injury")


@dataclass(frozen=True)
class Observation:
    """What is seen of a tree today beside what is on record.

    signs : those of `SIGNS` that hold. days_between, days_usual : between waterings now and as a
    rule, None where not known. when : years or evidence, as the practice has it. newcomer : settle
    or at_once.
    """

    signs: frozenset[str] = frozenset()
    days_between: float | None = None
    days_usual: float | None = None
    when: str = "years"
    newcomer: str = "settle"


def looked(signs: Mapping[str, bool] | Iterable[str], **more: object) -> Observation:
    """What is seen, from ticks or from names; unknown names are left aside."""
    names = [name for name, on in signs.items() if on] if isinstance(signs, Mapping) else signs
    return Observation(frozenset(name for name in names if name in SIGNS), **more)  # type: ignore[arg-type]


def delay_clears(kind: str) -> tuple[str, ...]:
    """The signs a step that only delays is meant for; none of any other kind of session."""
    return DELAYS.get(kind, ())


@dataclass(frozen=True)
class StopgapStep:
    """A step that only delays: its kind of session. refused_after : delays in a row, where there
    were so many that it is refused."""

    kind: str
    refused_after: int | None = None
