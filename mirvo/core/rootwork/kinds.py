"""The kinds of root session and their own budgets."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.errors import BadInput


@dataclass(frozen=True)
class Kind:
    """A kind of session.

    own_budget : replaces the tree's; None means the usual rule. only_delays : it puts off a full
    session. aside : it leaves the ball as it is, and puts nothing off either. combs : the ball's
    edge is combed and trimmed in it.
    """

    key: str
    name: str
    own_budget: float | None = None
    only_delays: bool = False
    aside: bool = False
    combs: bool = False
    caution: str | None = None


KINDS = (
    Kind("routine", "Routine session", combs=True),
    Kind("first", "First root work", combs=True),
    Kind(
        "collection",
        "Collection",
        own_budget=1.0,
        caution="Have buried cables and pipes located first, and the landowner's permission in "
        "hand; the law on wild and protected plants applies.",
    ),
    Kind("raise", "Raise", combs=True),
    Kind("re-angle", "Re-angle", combs=True),
    Kind("slip-pot", "Slip-pot", own_budget=0.0, only_delays=True),
    Kind("edge-cut", "Edge cut", own_budget=0.1, only_delays=True),
    Kind("base-lift", "Base lift", own_budget=0.0, only_delays=True),
    Kind("top-up", "Top-up", own_budget=0.0, only_delays=True),
    Kind("grow-out", "Grow-out or return", combs=True),
    Kind("change-soil", "Change the soil, cut nothing", own_budget=0.0),
    Kind(
        "emergency",
        "Emergency",
        own_budget=0.0,
        caution="Remove only what is dead. Disinfect tools and table; follow the label of "
        "anything you spray or mix.",
    ),
    Kind("layer", "Ground or air layer", own_budget=0.0, aside=True),
    Kind("exposed-root", "Exposed-root layering", own_budget=0.9),
    Kind("graft", "Root graft", aside=True),
)


def kind_by_key(key: str) -> Kind:
    """One kind. Raises BadInput."""
    for kind in KINDS:
        if kind.key == key:
            return kind
    raise BadInput("kind", f"there is no kind of session called '{key}'")


def only_delays(key: str) -> bool:
    """Whether a kind of session only delays a full one; a kind nobody knows counts as full."""
    # A record may name a kind that is no longer offered.
    return any(kind.key == key and kind.only_delays for kind in KINDS)


def opens_ball(key: str) -> bool:
    """Whether a kind of session opens the ball, so that the interval counts from it.

    A kind nobody knows counts as one that does: the record may name a kind no longer offered.
    """
    return not any(kind.key == key and (kind.only_delays or kind.aside) for kind in KINDS)


def kind_name(key: str) -> str:
    """How a kind is called; its key where nobody knows it any more."""
    # A record may name a kind that is no longer offered; it is shown as it was written.
    return next((kind.name for kind in KINDS if kind.key == key), key)
