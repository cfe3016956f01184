"""Signs seen on a tree, what to look at, and steps that only delay."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

SIGNS = {
    "roots_at_holes": "roots come out of the holes",
    "ball_lifting": "the ball lifts out of the pot",
    "water_stands": "water stands on top",
    "soil_decayed": "the soil has decayed",
    "stays_wet": "the ball stays wet",
    "thick_moss": "thick moss covers the soil",
    "weak_growth": "it grew weakly last season",
    "dying_shoots": "shoots die",
    "dark_ring": "a cut branch shows a dark ring",
    "sour_soil": "the soil smells sour",
    "pest": "there are pests in the soil",
    "pot_broken": "the pot is broken",
}
ALARMS = ("dying_shoots", "sour_soil", "pest", "dark_ring")
WETNESS = ("stays_wet", "water_stands")
# Each of these alone asks for the very next window.
URGENT = ("ball_lifting", "water_stands", "soil_decayed")
DELAYS = {
    "slip-pot": (
        ("roots_at_holes", "ball_lifting"),
        "into a larger pot, roots untouched: room for a season or two, the old core stays as it is",
    ),
    "edge-cut": (
        ("water_stands", "stays_wet"),
        "a blade round the wall and fresh soil in the gap: lets water in, the middle stays old",
    ),
    "base-lift": (
        ("soil_decayed",),
        "fresh soil underneath: better drainage below, nothing changes in the ball",
    ),
    "top-up": (
        ("thick_moss",),
        "moss off, soil on top: keeps roots covered; clear it from trunk and flare in half a year",
    ),
}
DIAGNOSIS = {
    "dark_ring": "Cut a dying branch: a dark ring in the wood means disease of its vessels. Stop, "
    "isolate the tree, disinfect, ask a licensed adviser before treating.",
    "sour_soil": "Smell the soil and press it: sour and wet means roots without air; change the "
    "soil, cut nothing living.",
    "root_colour": "Look under the ball: white or tan roots are alive, brown-black and soft ones "
    "dead. Many dead ones make it an emergency; take only those.",
    "pest": "Look for grubs and galls: with them roots are eaten from outside; wash the soil out "
    "and follow the label of anything you use.",
    "injury": "An injury in plain sight may not be the cause: ask what killed the roots first.",
}


@dataclass(frozen=True)
class Looked:
    """What is seen of a tree today beside what is on record.

    signs : keys of `SIGNS` that hold. days_between, days_usual : between waterings now and as a
    rule, None where not known. when : years or evidence, as the practice has it. newcomer : settle
    or at_once.
    """

    signs: frozenset[str] = frozenset()
    days_between: float | None = None
    days_usual: float | None = None
    when: str = "years"
    newcomer: str = "settle"


def looked(signs: Mapping[str, bool] | Iterable[str], **more: object) -> Looked:
    """What is seen, from ticks or from names; unknown names are left aside."""
    names = [name for name, on in signs.items() if on] if isinstance(signs, Mapping) else signs
    return Looked(frozenset(name for name in names if name in SIGNS), **more)  # type: ignore[arg-type]


def delay_clears(kind: str) -> tuple[str, ...]:
    """The signs a step that only delays is meant for; none of any other kind of session."""
    return DELAYS[kind][0] if kind in DELAYS else ()


@dataclass(frozen=True)
class Lesser:
    """A step that only delays: its kind, what it does and its limit, or why it is refused."""

    kind: str
    sentence: str
    refused: str | None = None
