"""What a case means in numbers: limits of a year, growth, depths of pots, gaps, times of work."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from math import ceil, inf

import numpy as np
import numpy.typing as npt

from mirvo.core.almanac import rules
from mirvo.core.angles import angle_between, clockwise_from
from mirvo.core.plan.case import FINAL, Case, CaseFault, Gap
from mirvo.core.rootwork.budget import edge_share, removal_budget

BOARD, GROUND = "board in a wide pot", "ground"
CLOSE = 1e-9
SAME_ROOT_DEG = 0.5
NOT_CUT = -1
Ages = tuple[int, ...]
Array = npt.NDArray[np.float64]


class PlanningProblem:
    """One case for one school, with everything that does not change from way to way.

    Growth is counted as A, the sum of container factor times vigour. Containers are numbered in
    the order of `offered`.
    """

    def __init__(self, case: Case, school: str, grafts_for: Case | None = None) -> None:
        self.case = case
        self.school = school
        self.rules = rules().plan
        self.today = case.today.year
        self.offered = case.offered
        # Sorted once; a stable sort keeps the order given among equals. What waits for its graft
        # holds nothing else up.
        self.faults: list[CaseFault] = sorted(
            case.faults, key=lambda fault: (fault.after_graft, fault.priority)
        )
        self.returning = [
            (place + 1, fault.returns_years, fault)
            for place, fault in enumerate(self.faults)
            if fault.returns_years is not None
        ]
        # What is fixed by hand bounds every year, so it is looked up by year.
        self.left_alone = {hold.year for hold in case.holds if hold.allow == "none"}
        self.fixed = {hold.year for hold in case.holds if hold.allow == "session"}
        self.potted_from = min(
            (hold.year for hold in case.holds if hold.allow == FINAL), default=None
        )
        # A layered tree is planned on new roots but grafts into the gaps it was named for.
        self.open_gaps = open_gaps(grafts_for or case)
        self.budget = cache(self._budget)
        self.bearing = cache(self._bearing)
        self.edge = cache(self._edge)
        self.limit = cache(self._limit)
        self.fault_share = cache(self._fault_share)
        self.largest_gap = cache(self._largest_gap)
        self.ratio_rises = self._ratio_rises()
        self.growth_needed = self._growth_needed()
        self.first_possible = self._first_possible()

    # Limits of a session -------------------------------------------------------

    def _factors(self, base: float, year: int, worth: float) -> float:
        case = self.case
        origin = case.origin_factor_in(year)
        return removal_budget(base, case.strength, case.age, origin_factor=origin, worth=worth)

    def _budget(self, year: int) -> float:
        """What the school lets a session of a year take, 0 to 0.85."""
        base = self.case.species.budget.of(self.school)
        return self._factors(base, year, self.case.worth)

    def _bearing(self, year: int) -> float:
        """The most the tree could bear in a session of a year, the same for every school."""
        return self._factors(self.case.species.budget.bold, year, 1.0)

    def _edge(self, year: int) -> float:
        """What combing and trimming the edge takes in every session of a year."""
        gentle = self._factors(self.case.species.budget.gentle, year, self.case.worth)
        return edge_share(gentle)

    def _limit(self, year: int) -> float:
        """The most a session of a year takes: budget, bearing and the cap on strain."""
        bearing = self.bearing(year)
        most = min(self.budget(year), bearing)
        if self.case.strength == "fair" or self.case.age == "old":
            most = min(most, bearing * (self.rules.strain_limit / 100.0) ** 0.5)
        return most

    def room(self, year: int, grafting: bool = False) -> float:
        """What roots and slice together may take beside the edge in a session of a year.

        grafting : grafts are set in it, which asks for roots that go on feeding.
        """
        edge, limit = self.edge(year), self.limit(year)
        if grafting:
            limit = min(limit, self.bearing(year) * self.rules.graft_session_of_bearing)
        return max(0.0, 1.0 - (1.0 - limit) / (1.0 - edge))

    def share(self, year: int, inside: float) -> float:
        """Share a session takes: the edge, and `inside` of roots and slice."""
        return 1.0 - (1.0 - self.edge(year)) * (1.0 - min(1.0, inside))

    @property
    def below(self) -> float:
        """Share of the feeding root that hangs in the ball below the surface roots."""
        return 1.0 - self.case.state.surface_share

    @property
    def least_left_mm(self) -> float:
        """Least depth that a slice leaves, by the trunk as it is today, mm."""
        trunk = self.case.state.trunk_diameter_mm
        return max(self.rules.min_ball_mm, self.rules.slice_leaves_of_trunk * trunk)

    @property
    def slice_limit(self) -> float:
        """Most of a ball's depth that one session slices off, 0 to 1."""
        return 1.0 if self.case.worth > 1.0 else self.rules.slice_of_ball

    # When a session may or must be ---------------------------------------------

    @property
    def step(self) -> int:
        """Years from one session to the next at least; sessions fall on whole years."""
        return ceil(self.case.interval - CLOSE)

    def may_work(self, year: int, last: int | None) -> bool:
        """Whether a session is allowed in a year; `last` : year of the one before."""
        if year in self.left_alone or self.case.strength == "weak":
            return False
        return last is None or year - last >= self.case.interval - CLOSE

    def must_work(self, year: int, last: int | None, worked: bool) -> bool:
        """Whether a session that is allowed in a year may not be put off.

        worked : the plan has had a session already.
        """
        # Grafts go in at once: they need years before they count.
        if year in self.fixed or (self.open_gaps and not worked):
            return True
        return year - self.counted_from(last) >= self.case.longest - CLOSE

    def overdue(self, year: int, last: int | None) -> bool:
        """Whether the tree is root-bound in a year without a session."""
        return year - self.counted_from(last) > self.case.longest + CLOSE

    def counted_from(self, last: int | None) -> int:
        """The year from which the longest interval runs."""
        return self.today if last is None else last

    def must_be_potted(self, year: int) -> bool:
        """Whether the tree is to stand in its final pot at the end of this year."""
        return self.potted_from is not None and year >= self.potted_from

    def _first_possible(self) -> int | None:
        """First year in which a session is allowed; None when there is none in the horizon."""
        last = self.case.state.last_session_year
        years = range(self.today + 1, self.case.last_year + 1)
        return next((year for year in years if self.may_work(year, last)), None)

    @property
    def grafts_count_from(self) -> float:
        """Year at whose end grafts count; infinite without a session to make them in."""
        if self.first_possible is None:
            return inf
        return self.first_possible + self.rules.graft_years

    # Faults ---------------------------------------------------------------------

    def waits_for_graft(self, place: int, year: int) -> bool:
        """Whether a fault root is not to go yet in a year, as nothing stands in the gap it leaves;
        without a gap to graft into nothing is waited for."""
        waits = self.faults[place].after_graft and bool(self.open_gaps)
        return waits and year < self.grafts_count_from

    def _fault_share(self, place: int, year: int) -> float:
        """Share of the feeding root a whole fault root holds in a year; it thickens meanwhile."""
        fault = self.faults[place]
        if not fault.thickens:
            return fault.share
        grown = fault.share * self.rules.thickening ** (year - self.today - 1)
        # A root that already holds more than that does not become less by standing.
        return min(grown, max(self.rules.thickest_share, fault.share))

    def years_on(self, ages: Ages) -> Ages:
        """Years since each returning fault was last cut, a year later."""
        counted = zip(ages, self.returning, strict=True)
        return tuple(
            # Grown back is grown back; counting on would tell equal states apart.
            age if age == NOT_CUT else min(age + 1, years)
            for age, (_, years, _) in counted
        )

    def back(self, ages: Ages) -> list[CaseFault]:
        """Returning faults that have grown back."""
        counted = zip(ages, self.returning, strict=True)
        return [fault for age, (_, years, fault) in counted if age >= years]

    def cut_now(self, ages: Ages, gone: int) -> Ages:
        """Ages after a session that leaves `gone` faults cut; all that is back goes as well."""
        counted = zip(ages, self.returning, strict=True)
        return tuple(
            0 if age >= years or (age == NOT_CUT and place <= gone) else age
            for age, (place, years, _) in counted
        )

    def share_back(self, ages: Ages) -> float:
        """Share of the roots that have grown back."""
        return self.rules.returned_share * sum(fault.share for fault in self.back(ages))

    # Containers and depths ---------------------------------------------------------

    def growth_of(self, container: str) -> float:
        """Growth of a year in a container, against a wide training pot."""
        return rules().container(container).growth

    def inner_depth(self, container: str, worked: bool) -> float | None:
        """Inner depth of a container, mm, where it is known.

        worked : after the first session; until then the tree stands in its own pot.
        """
        state, known = self.case.state, self.case.container_depths_mm.get(container)
        if worked:
            # From the first session on pots are chosen to fit, but for the one there is of a kind.
            return known
        own = state.inner_depth_mm if container == state.container else None
        return own or known

    def deepest_ball(self, container: str) -> float:
        """Deepest ball a container takes after a session, mm; infinite if it is chosen to fit."""
        if container == FINAL:
            return self.case.need_mm
        depth = self.inner_depth(container, True)
        return inf if depth is None else depth - self._rim

    def ball_after(self, ball: Array, container: str, worked: bool) -> Array:
        """Depth of the ball at the end of a year, mm. worked : the plan has had a session.

        A pot chosen to fit leaves the ball as it is; in the ground nothing ends its growth.
        """
        if container == FINAL:
            return ball
        grown = ball + self.rules.ball_growth_mm
        if container == GROUND:
            return grown
        depth = self.inner_depth(container, worked)
        return ball if depth is None else np.maximum(ball, np.minimum(depth - self._rim, grown))

    @property
    def _rim(self) -> float:
        return self.rules.soil_layer_mm + self.rules.rim_clearance_mm

    # Growth -------------------------------------------------------------------------

    def spread_mm(self, grown: float) -> float:
        return self.case.state.spread_mm + self.case.state.growth.spread_mm_per_year * grown

    def trunk_mm(self, grown: float) -> float:
        return self.case.state.trunk_diameter_mm + self.case.state.growth.trunk_mm_per_year * grown

    def ratio(self, grown: float) -> float:
        return self.spread_mm(grown) / self.trunk_mm(grown)

    def vigour(self, share: float, overdue: bool = False) -> float:
        """Part of a year's growth that is left after a session of this share, 0 to 1."""
        left = 1.0 - self.rules.session_growth_loss * share
        return left * self.rules.overdue_growth if overdue else left

    def _ratio_rises(self) -> bool:
        state = self.case.state
        return (
            state.growth.spread_mm_per_year * state.trunk_diameter_mm
            > state.growth.trunk_mm_per_year * state.spread_mm
        )

    @property
    def ratio_limit(self) -> float:
        """What the ratio tends to, whatever is done; infinite when the trunk stands still."""
        growth = self.case.state.growth
        if growth.trunk_mm_per_year == 0:
            return float("inf") if growth.spread_mm_per_year > 0 else self.ratio(0.0)
        return max(self.ratio(0.0), growth.spread_mm_per_year / growth.trunk_mm_per_year)

    def _growth_needed(self) -> float:
        """A at which the wished ratio is met; infinite when it never is, 0 when it is met."""
        state, wished = self.case.state, self.case.target.spread_ratio
        lacking = wished * state.trunk_diameter_mm - state.spread_mm
        if lacking <= CLOSE:
            return 0.0
        rate = state.growth.spread_mm_per_year - wished * state.growth.trunk_mm_per_year
        return lacking / rate if rate > 0 else inf

    # Gaps and arrival ---------------------------------------------------------------

    @property
    def _gap_aim(self) -> float:
        return self.case.target.largest_gap_deg + CLOSE

    def new_roots(self) -> list[float]:
        """Azimuths of all roots that gap work brings, degrees."""
        aim = self.case.target.largest_gap_deg
        return [azimuth for gap in self.open_gaps for azimuth in gap.new_roots_deg(aim)]

    def _largest_gap(self, gone: int, grafted: bool) -> float:
        return self.largest_gap_with(gone, self.new_roots() if grafted else [])

    def largest_gap_with(self, gone: int, new_roots: Sequence[float]) -> float:
        """Largest gap after `gone` faults are cut, with these new roots there, degrees."""
        cut = [f.azimuth_deg for f in self.faults[:gone] if f.azimuth_deg is not None]
        return largest_gap([*without(self.case.state.root_azimuths_deg, cut), *new_roots])

    def gap_holds(self, gone: int, year: int) -> bool:
        """Whether the largest gap is within the target at the end of a year."""
        return self.largest_gap(gone, year >= self.grafts_count_from) <= self._gap_aim

    @property
    def arrived_today(self) -> bool:
        """Whether the target is met as the tree stands."""
        return (
            self.case.state.container == FINAL
            # A ball deeper than the target's pot takes stands in another pot, whatever its name.
            and self.case.state.ball_depth_mm <= self.case.need_mm + CLOSE
            and not self.faults
            and self.growth_needed == 0.0
            and self.largest_gap(0, False) <= self._gap_aim
        )

    @property
    def never(self) -> bool:
        """Whether some part of the target fails however long one waits."""
        gap = self.largest_gap(len(self.faults), True)
        return self.case.strength == "weak" or gap > self._gap_aim or self.growth_needed == inf


def open_gaps(case: Case) -> list[Gap]:
    """The gaps to be closed: wider than the target as named, or once all faults are gone."""
    limit = case.target.largest_gap_deg
    gone = [fault.azimuth_deg for fault in case.faults if fault.azimuth_deg is not None]
    order = sorted(a % 360.0 for a in without(case.state.root_azimuths_deg, gone))
    pairs = zip(order, order[1:] + order[:1], strict=True)
    # Gaps that open only once the faults are gone count as well.
    wide = [(a, clockwise_from(a, b)) for a, b in pairs if clockwise_from(a, b) > limit]
    if len(order) < 2:
        # One root alone leaves the whole round open behind it.
        wide = [(start, 360.0) for start in order or [0.0]]

    def lies_open(gap: Gap) -> bool:
        roots = gap.new_roots_deg(limit)
        return any(0 < clockwise_from(start, at) < width for start, width in wide for at in roots)

    return [gap for gap in case.gaps if gap.width_deg > limit or lies_open(gap)]


def without(azimuths: Sequence[float], gone: Sequence[float]) -> list[float]:
    """Azimuths less those of roots gone, each met within half a degree."""
    left = list(azimuths)
    for azimuth in gone:
        # The same azimuth comes from two roundings, so it is met and not equalled.
        near = [a for a in left if angle_between(a, azimuth) < SAME_ROOT_DEG]
        if near:
            left.remove(near[0])
    return left


def largest_gap(azimuths: Sequence[float]) -> float:
    """Largest angle between neighbouring azimuths, degrees; 360 for fewer than two."""
    order = sorted(a % 360.0 for a in azimuths)
    if len(order) < 2:
        return 360.0
    return max(clockwise_from(a, b) for a, b in zip(order, order[1:] + order[:1], strict=True))
