"""What a case means in numbers: growth, gaps, cuts a session may make."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from math import inf

from mirvo.core.almanac import rules
from mirvo.core.angles import angle_between, clockwise_from
from mirvo.core.plan.case import Case, CaseFault, Gap
from mirvo.core.rootwork import removal_budget, session_share, slice_part, strain

FINAL = "final pot"
USUAL = "usual pot"
BOARD = "board in a wide pot"
CLOSE = 1e-9
NOT_CUT = -1
# Azimuths are written to a tenth; two roots are never this near.
SAME_ROOT_DEG = 0.5
Ages = tuple[int, ...]


@dataclass(frozen=True)
class Cut:
    """What one session takes: faults up to this half, ball depth left, share, strain."""

    halves: int
    ball_mm: float
    share: float
    strain: float


class PlanningProblem:
    """One case for one school, with everything that does not change from year to year.

    Fault roots are counted in halves in advice order, so `halves` says how far the
    cutting has come; growth is counted as A, the sum of container factor times vigour. `tried`
    counts the ways looked at.
    """

    def __init__(self, case: Case, school: str, grafts_for: Case | None = None) -> None:
        self.case = case
        self.school = school
        self.offered_or_now = {*case.offered, case.state.container}
        self.rules = rules().plan
        self.containers = rules().containers
        self.budget = removal_budget(
            case.species.budget.of(school),
            case.strength,
            case.age,
            origin_factor=case.origin_factor,
            worth=case.worth,
        )
        # Sorted once; a stable sort keeps the order given among equals.
        self.faults: list[CaseFault] = sorted(case.faults, key=lambda fault: fault.priority)
        # A root may go in two sessions, so faults are counted in halves.
        self.all_halves = 2 * len(self.faults)
        self.returning = [
            (2 * place + 2, fault.returns_years, fault)
            for place, fault in enumerate(self.faults)
            if fault.returns_years is not None
        ]
        self._strains: set[float] = set()
        self.tried = 0
        # What is fixed by hand bounds every year, so it is looked up by year.
        self.left_alone = {hold.year for hold in case.holds if hold.allow == "none"}
        self.fixed = {hold.year for hold in case.holds if hold.allow == "session"}
        self.may_lapse = bool(self.fixed or self.returning)
        self.potted_from = min(
            (hold.year for hold in case.holds if hold.allow == "final pot"), default=None
        )
        # These depend on little and are asked for in every state.
        self.cuts = cache(self._cuts)
        self.largest_gap = cache(self._largest_gap)
        self.ball_after_year = cache(self._ball_after_year)
        self.fault_share = cache(self._fault_share)
        self.ratio_rises = self._ratio_rises()
        # Growth is what a board is for; where the ratio falls with it, the usual pot beats all.
        self.board_offered = BOARD in case.offered and (
            self.ratio_rises or USUAL not in case.offered
        )
        self.trunk_now_mm = case.state.trunk_diameter_mm
        self.trunk_rate_mm = case.state.growth.trunk_mm_per_year
        self.choices = cache(self._choices)
        self.growth_needed = self._growth_needed()
        # A layered tree is planned on new roots but grafts into the gaps it was named for.
        self.open_gaps = open_gaps(grafts_for or case)
        self.needs_grafts = (
            self.largest_gap(self.all_halves, False) > case.target.largest_gap_deg + CLOSE
        )

    def without_lapses(self) -> PlanningProblem:
        """The same with no session owed and no root that grows back: never harder."""
        holds = [hold for hold in self.case.holds if hold.allow != "session"]
        faults = [fault.model_copy(update={"returns_years": None}) for fault in self.case.faults]
        eased = self.case.model_copy(update={"holds": holds, "faults": faults})
        return PlanningProblem(eased, self.school)

    # Growth -------------------------------------------------------------------

    def spread_mm(self, grown: float) -> float:
        return self.case.state.spread_mm + self.case.state.growth.spread_mm_per_year * grown

    def trunk_mm(self, grown: float) -> float:
        return self.case.state.trunk_diameter_mm + self.case.state.growth.trunk_mm_per_year * grown

    def ratio(self, grown: float) -> float:
        return self.spread_mm(grown) / self.trunk_mm(grown)

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

    def board_gate_open(self, woody: float, grown: float) -> bool:
        """Whether the underside is flat enough for a board, or none is to be had."""
        return not self.board_offered or (
            woody <= self.trunk_now_mm + self.trunk_rate_mm * grown + CLOSE
        )

    def growth_of_year(self, container: str, share: float) -> float:
        return self.containers[container].growth * (1 - self.rules.session_growth_loss * share)

    def _ball_after_year(self, ball: float, container: str) -> float:
        limit = self.containers[container].deepens_to_mm
        if limit is None or ball >= limit:
            return ball
        return min(limit, ball + self.rules.ball_growth_mm)

    @property
    def never(self) -> bool:
        """Whether some part of the target fails however long one waits."""
        gap = self.largest_gap(self.all_halves, True)
        return (
            self.case.strength == "weak"
            or FINAL not in self.offered_or_now
            or gap > self.case.target.largest_gap_deg + CLOSE
            or self.growth_needed == inf
        )

    # Sessions -----------------------------------------------------------------

    def must_be_potted(self, year: int) -> bool:
        """Whether the tree is to stand in its final pot at the end of this year."""
        return self.potted_from is not None and year >= self.potted_from

    def session_allowed(self, year: int, last: int | None) -> bool:
        if year in self.left_alone or self.case.strength == "weak":
            return False
        return last is None or year - last >= self.case.interval - CLOSE

    def _fault_share(self, start: int, end: int) -> float:
        """Share of the halves taken from `start` up to `end`."""
        return sum(self.faults[half // 2].share / 2 for half in range(start, end))

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

    def cut_now(self, ages: Ages, halves: int) -> Ages:
        """Ages after a session up to this half, which takes all that is back as well."""
        counted = zip(ages, self.returning, strict=True)
        return tuple(
            0 if age >= years or (age == NOT_CUT and gone <= halves) else age
            for age, (gone, years, _) in counted
        )

    def share_back(self, ages: Ages) -> float:
        """Share of the roots that have grown back."""
        return self.rules.returned_share * sum(fault.share for fault in self.back(ages))

    def _cuts(self, halves: int, ball: float, again: float = 0.0) -> list[Cut]:
        """Cuts within the budget; `again` is the share of roots that have grown back."""
        found = []
        depths = self.depths_left(ball)
        for end in range(halves, self.all_halves + 1):
            roots = again + self.fault_share(halves, end)
            # Roots go in order, so once they alone pass the budget nothing further fits.
            if roots > self.budget + CLOSE:
                break
            for depth in depths:
                part = slice_part(ball - depth, ball, self.case.state.matted)
                share = session_share(roots, [part])
                if share <= self.budget + CLOSE:
                    found.append(Cut(end, depth, share, strain(share, self.budget)))
        self._strains.update(cut.strain for cut in found)
        return found

    def strains_seen(self) -> list[float]:
        """Strains of all cuts looked at so far, each a possible cap."""
        return list(self._strains)

    def depths_left(self, ball: float) -> list[float]:
        """Ball depths a session may leave: as it is, in steps of 10 mm, or exactly at need."""
        step, least = self.rules.slice_step_mm, self.rules.min_ball_mm
        depths = [ball]
        while depths[-1] - step >= least - CLOSE:
            depths.append(round(depths[-1] - step, 6))
        # The exact depth the pot takes is offered too, else a step of 10 mm could miss it.
        need = self.case.need_mm
        if least <= need < ball and all(abs(need - depth) > CLOSE for depth in depths):
            depths.append(need)
        return depths

    def _choices(self, board_allowed: bool, ball: float) -> list[str]:
        """Containers open to a tree after its cut.

        A board, once allowed, beats the usual and the training pot in every respect while the
        ratio rises with growth; the usual pot beats all but the final one while it falls.
        """
        if not self.ratio_rises and USUAL in self.case.offered:
            fits = FINAL in self.case.offered and ball <= self.case.need_mm + CLOSE
            return [USUAL, FINAL] if fits else [USUAL]
        open_to = [
            name
            for name in self.case.offered
            if (name != BOARD or board_allowed)
            and (name != FINAL or ball <= self.case.need_mm + CLOSE)
        ]
        if BOARD in open_to:
            return [name for name in open_to if name not in (USUAL, "wide training pot")]
        return open_to

    # Gaps ---------------------------------------------------------------------

    def _largest_gap(self, halves: int, grafted: bool) -> float:
        new = [gap.new_root_deg for gap in self.open_gaps] if grafted else []
        return self.largest_gap_with(halves, new)

    def largest_gap_with(self, halves: int, new_roots: list[float]) -> float:
        """Largest gap with only some of the new roots there, degrees."""
        return largest_gap([*self._azimuths_left(halves), *new_roots])

    def _azimuths_left(self, halves: int) -> list[float]:
        """Azimuths of the roots still there; a fault stays until its second half is gone."""
        # A root half cut still stands and still fills its place.
        gone = [f.azimuth_deg for f in self.faults[: halves // 2] if f.azimuth_deg is not None]
        return without(self.case.state.root_azimuths_deg, gone)

    def arrived(self, container: str, halves: int, ratio: float, gap: float) -> bool:
        target = self.case.target
        return (
            # All four at once: a target met in parts is not met.
            container == FINAL
            and halves == self.all_halves
            and ratio >= target.spread_ratio - CLOSE
            and gap <= target.largest_gap_deg + CLOSE
        )


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
        return any(0 < clockwise_from(start, gap.new_root_deg) < width for start, width in wide)

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


def largest_gap(azimuths: list[float]) -> float:
    """Largest angle between neighbouring azimuths, degrees; 360 for fewer than two."""
    order = sorted(a % 360.0 for a in azimuths)
    if len(order) < 2:
        return 360.0
    return max(clockwise_from(a, b) for a, b in zip(order, order[1:] + order[:1], strict=True))
