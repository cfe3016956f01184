"""What a case means in numbers: limits of a year, growth, depths of pots, gaps, times of work."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cache
from math import ceil, inf

from mirvo.core.almanac import rules
from mirvo.core.plan.case import FINAL, Case, CaseFault
from mirvo.core.plan.gaps import largest_gap, open_gaps, without
from mirvo.core.plan.places import BOARD, places_of
from mirvo.core.plan.sides import CLOSE, sides_of
from mirvo.core.rootwork.budget import edge_share, removal_budget

GENTLE = "gentle"
NOT_CUT = -1
Ages = tuple[int, ...]
# What is left of each fault root, 0 to 1, in the order in which they are to go.
Progress = tuple[float, ...]


class PlanningProblem:
    """One case for one school, with everything that does not change from way to way.

    Growth is counted as A, the sum of container factor times vigour. Where a tree stands is counted
    by its place in `places`; the first is the pot it stands in today.
    """

    def __init__(self, case: Case, school: str, grafts_for: Case | None = None) -> None:
        self.case = case
        self.school = school
        self.rules = rules().plan
        self.today = case.today.year
        self.sides = sides_of(case)
        self.places = places_of(case, self.sides)
        # Sorted once; a stable sort keeps the order given among equals.
        self.faults: list[CaseFault] = sorted(case.faults, key=lambda fault: fault.priority)
        self.untouched: Progress = (1.0,) * len(self.faults)
        self.all_gone: Progress = (0.0,) * len(self.faults)
        self.returning = [
            (place, fault.returns_years, fault)
            for place, fault in enumerate(self.faults)
            if fault.returns_years is not None
        ]
        # What is fixed by hand bounds every year, so it is looked up by year.
        self.left_alone = {hold.year for hold in case.holds if hold.allow == "none"}
        self.fixed = {hold.year for hold in case.holds if hold.allow == "session"}
        self.decided = case.first_session
        if self.decided is not None:
            self.left_alone |= set(range(self.today + 1, self.decided.year))
            self.fixed |= {self.decided.year}
        self.potted_from = min(
            (hold.year for hold in case.holds if hold.allow == FINAL), default=None
        )
        # A layered tree is planned on new roots but grafts into the gaps it was named for.
        self.open_gaps = open_gaps(grafts_for or case)
        self.budget = cache(self._budget)
        self.bearing = cache(self._bearing)
        self.edge = cache(self._edge)
        self.limit = cache(self._limit)
        self.room = cache(self._room)
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

    def limit_of(self, year: int, grafting: bool) -> float:
        """The most a session of a year takes. grafting : grafts are set in it, which asks for roots
        that go on feeding."""
        limit = self.limit(year)
        if grafting:
            limit = min(limit, self.bearing(year) * self.rules.graft_session_of_bearing)
        # What was decided by hand goes, limit or not; it leaves no room for more.
        return max(limit, self._decided_share(year))

    def cuts_decided(self, year: int) -> dict[int, float] | None:
        """Part of each fault, by its place, that goes in a year as decided by hand; None in years
        left to the plan."""
        if self.decided is None or year != self.decided.year:
            return None
        cuts = self.decided.cuts
        return {place: cuts.get(fault.label, 0.0) for place, fault in enumerate(self.faults)}

    def _decided_share(self, year: int) -> float:
        parts = self.cuts_decided(year)
        if parts is None:
            return 0.0
        taken = sum(part * self.fault_share(place, year) for place, part in parts.items())
        return 1.0 - (1.0 - self.edge(year)) * (1.0 - min(1.0, taken))

    def _room(self, year: int, grafting: bool = False) -> float:
        """What roots and slice together may take beside the combed edge in a session of a year."""
        return self.inside(year, self.limit_of(year, grafting))

    def inside(self, year: int, share: float) -> float:
        """What roots and slice take together in a session of this share that combs the edge."""
        return max(0.0, 1.0 - (1.0 - share) / (1.0 - self.edge(year)))

    def comfortable(self, year: int) -> float:
        """What the faults of one session may take together, but for the first of them."""
        share = self.bearing(year) * (self.rules.faults_strain / 100.0) ** 0.5
        return self.inside(year, share)

    def strain(self, year: int, share: float) -> float:
        """Strain of a session: 100 where it takes all the tree could bear."""
        return 100.0 * (share / self.bearing(year)) ** 2

    def rest_after(self, strain: float) -> int:
        """Years of rest a session asks for beyond the interval."""
        return sum(strain > over + CLOSE for over in self.rules.rest_strains)

    @property
    def below(self) -> float:
        """Share of the feeding root that hangs in the ball below the surface roots."""
        return 1.0 - self.case.state.surface_share

    @property
    def slice_limit(self) -> float:
        """Most of a ball's depth that one session slices off, 0 to 1."""
        return 1.0 if self.case.worth > 1.0 else self.rules.slice_of_ball

    # When a session may or must be ---------------------------------------------

    @property
    def step(self) -> int:
        """Years from one session to the next at least; sessions fall on whole years."""
        return ceil(self.least_years(0) - CLOSE)

    @property
    def rest_today(self) -> int:
        """Years of rest that the last session made asks for beyond the interval."""
        return self.rest_after(self.case.state.last_session_strain)

    def least_years(self, rest: int) -> float:
        """Years from a session to the next at least. rest : asked for beyond the interval."""
        least = self.case.interval + rest
        return max(least, self.rules.gentle_rest_years) if self.school == GENTLE else least

    def most_years(self, rest: int) -> float:
        """Years from a session after which a tree left alone is root-bound."""
        return max(self.case.longest, self.case.interval + rest)

    def may_work(self, year: int, last: int | None, rest: int = 0) -> bool:
        """Whether a session is allowed in a year; last, rest : year of the one before, and the
        years it asks for beyond the interval."""
        until = self.case.state.rest_until_year
        if year in self.left_alone or self.case.strength == "weak" or year <= (until or 0):
            return False
        return last is None or year - last >= self.least_years(rest) - CLOSE

    def must_work(self, year: int, last: int | None, rest: int, worked: bool) -> bool:
        """Whether a session that is allowed in a year may not be put off.

        worked : the plan has had a session already.
        """
        if year in self.fixed or (self.begins_at_once and not worked):
            return True
        return year - self.counted_from(last) >= self.most_years(rest) - CLOSE

    @property
    def begins_at_once(self) -> bool:
        """Whether the first session falls on the first window: what harms the tree goes, and grafts
        need years before they count."""
        return bool(self.faults or self.open_gaps)

    def overdue(self, year: int, last: int | None, rest: int) -> bool:
        """Whether the tree is root-bound in a year without a session."""
        return year - self.counted_from(last) > self.most_years(rest) + CLOSE

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
        return next((year for year in years if self.may_work(year, last, self.rest_today)), None)

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
        # However thick, two sessions can take it; one that holds more today stays as it is.
        most = min(self.rules.thickest_share, 2.0 * self.inside(year, self.limit(year)))
        return min(grown, max(most, fault.share))

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

    def cut_now(self, ages: Ages, progress: Progress) -> Ages:
        """Ages after a session that leaves so much of the faults; all that is back goes as well."""
        counted = zip(ages, self.returning, strict=True)
        return tuple(
            0 if age >= years or (age == NOT_CUT and progress[place] == 0.0) else age
            for age, (place, years, _) in counted
        )

    def share_back(self, ages: Ages) -> float:
        """Share of the roots that have grown back."""
        return self.rules.returned_share * sum(fault.share for fault in self.back(ages))

    @property
    def useful_places(self) -> set[int]:
        """Places worth choosing: not one that is like another in all but its lesser growth."""
        best: dict[object, int] = {}
        found = set()
        for number, place in enumerate(self.places):
            if not place.open:
                continue
            alike = place.takes == inf and place.grows_to is None and place.kind != BOARD
            # More growth is only better while the flare gains on the trunk by it.
            if not (alike and self.ratio_rises):
                found.add(number)
                continue
            sides = place.sides if self.sides.need else ""
            known = best.get(sides)
            if known is None or place.growth > self.places[known].growth:
                best[sides] = number
        return found | set(best.values())

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

    def _largest_gap(self, progress: Progress, grafted: bool) -> float:
        return self.largest_gap_with(progress, self.new_roots() if grafted else [])

    def largest_gap_with(self, progress: Progress, new_roots: Sequence[float]) -> float:
        """Largest gap with so much left of the faults and these new roots there, degrees."""
        gone = [fault for fault, left in zip(self.faults, progress, strict=True) if left == 0.0]
        cut = [fault.azimuth_deg for fault in gone if fault.azimuth_deg is not None]
        return largest_gap([*without(self.case.state.root_azimuths_deg, cut), *new_roots])

    def gap_holds(self, year: int) -> bool:
        """Whether the largest gap is within the target at the end of a year, all faults gone."""
        return self.largest_gap(self.all_gone, year >= self.grafts_count_from) <= self._gap_aim

    @property
    def arrived_today(self) -> bool:
        """Whether the target is met as the tree stands."""
        return (
            self.places[0].last
            and not self.faults
            and self.growth_needed == 0.0
            and self.largest_gap(self.untouched, False) <= self._gap_aim
        )

    @property
    def trunk_refuses(self) -> bool:
        """Whether the last pot is shallower than the trunk can be brought to."""
        return self.case.need_mm < self.case.least_left_mm - CLOSE and not self.places[0].last

    @property
    def never(self) -> bool:
        """Whether some part of the target fails however long one waits."""
        gap = self.largest_gap(self.all_gone, True)
        weak = self.case.strength == "weak"
        return weak or self.trunk_refuses or gap > self._gap_aim or self.growth_needed == inf
