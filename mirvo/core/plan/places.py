"""Where a tree may stand in a plan: the pot it is in, pots chosen to fit, and pots of the shelf."""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import numpy as np

from mirvo.core.almanac import rules
from mirvo.core.plan.case import FINAL, Case, CasePot
from mirvo.core.plan.sides import CLOSE, Array, Numbers, Sides

BOARD, GROUND = "board in a wide pot", "ground"
NEVER, ONCE, YEARLY = "never", "once", "yearly"


@dataclass(frozen=True)
class Place:
    """One place a tree may stand in.

    kind : of container; pot : name on the shelf, None for one chosen to fit and for its own.
    takes : deepest ball it takes, mm. grows_to : depth the ball grows to in it, mm; None where it
    stays as it is. off : mm that must be off each side of the ball before it fits. sides : whether
    they grow back: never, once after a session, or yearly. last : a tree in it stands in its last
    pot. open : it may be chosen in a session.
    """

    kind: str
    pot: str | None = None
    takes: float = inf
    grows_to: float | None = None
    off: int = 0
    sides: str = NEVER
    last: bool = False
    open: bool = True

    @property
    def growth(self) -> float:
        """Growth of a year in it, against a wide training pot."""
        return rules().container(self.kind).growth

    def ball_after(self, ball: Array) -> Array:
        """Depth of the ball at the end of a year in it, mm."""
        if self.grows_to is None:
            return ball
        grown = np.minimum(self.grows_to, ball + rules().plan.ball_growth_mm)
        # What is deeper already does not become less by standing.
        return np.asarray(np.maximum(ball, grown))

    def off_after(self, off: Numbers, worked: bool) -> Numbers:
        """Mm off each side of the ball at the end of a year in it. worked : in a session of that
        year."""
        if self.sides == NEVER or (self.sides == ONCE and not worked):
            return off
        # Never past what its walls leave it.
        return np.maximum(np.minimum(off, self.off), off - rules().plan.side_growth_mm)


def places_of(case: Case, sides: Sides) -> list[Place]:
    """Every place of a case; the first is where the tree stands until the plan's first session."""
    own = _own(case, sides)
    _, length, width = case.last_pot_mm
    named = case.last_pot
    final = Place(
        FINAL, named.name if named else None, case.need_mm, off=sides.off_for(length, width),
        last=True,
    )  # fmt: skip
    if case.only_shelf:
        chosen = [_own_again(case, own, sides), final]
    else:
        chosen = [final if kind == FINAL else _chosen(case, kind) for kind in case.offered]
    pots = [_named(pot, sides) for pot in case.pots if pot.kind != FINAL]
    return [own, *chosen, *pots]


def _own(case: Case, sides: Sides) -> Place:
    """Where the tree stands today; once it is lifted, its sizes bind no longer."""
    state = case.state
    depth = state.inner_depth_mm or case.container_depths_mm.get(state.container)
    if state.container == GROUND:
        grows_to: float | None = inf
    else:
        grows_to = None if depth is None else depth - _rim()
    return Place(
        state.container, grows_to=grows_to, last=stands_in_last_pot(case, sides), open=False
    )


def stands_in_last_pot(case: Case, sides: Sides) -> bool:
    """Whether the pot the tree stands in is the last one: a final pot no larger than the target's.

    A pot of unknown sizes is taken for the last one where the ball fits that.
    """
    state = case.state
    depth, length, width = case.last_pot_mm
    if state.container != FINAL:
        return False
    if state.inner_depth_mm is None:
        return state.ball_depth_mm <= case.need_mm + CLOSE and sides.need == 0
    pairs = [
        (state.inner_depth_mm, depth),
        (state.inner_length_mm, length),
        (state.inner_width_mm, width),
    ]
    return all(own <= most + CLOSE for own, most in pairs if own is not None and most is not None)


def _own_again(case: Case, own: Place, sides: Sides) -> Place:
    """The pot the tree stands in, once more: a real pot, of which no other is at hand."""
    state = case.state
    depth = state.inner_depth_mm or case.container_depths_mm.get(state.container)
    takes = inf if depth is None else depth - _rim()
    if own.last:
        takes = min(takes, case.need_mm)
    return Place(
        own.kind,
        takes=takes,
        grows_to=own.grows_to if own.kind == GROUND or depth is not None else None,
        off=sides.off_for(state.inner_length_mm, state.inner_width_mm),
        sides=rules().container(own.kind).sides_grow if state.inner_length_mm is None else YEARLY,
        last=own.last,
    )


def _chosen(case: Case, kind: str) -> Place:
    """A container of a kind, chosen to fit, or the one there is of it where a case says so."""
    sides = rules().container(kind).sides_grow
    if kind == GROUND:
        return Place(kind, grows_to=inf, sides=sides)
    depth = case.container_depths_mm.get(kind)
    if depth is None:
        return Place(kind, sides=sides)
    return Place(kind, takes=depth - _rim(), grows_to=depth - _rim(), sides=sides)


def _named(pot: CasePot, sides: Sides) -> Place:
    """A pot of the shelf."""
    depth = pot.inner_depth_mm - _rim()
    off = sides.off_for(pot.inner_length_mm, pot.inner_width_mm)
    return Place(pot.kind, pot.name, depth, depth, off, YEARLY)


def _rim() -> float:
    return rules().plan.soil_layer_mm + rules().plan.rim_clearance_mm
