"""From a tree's records to its planning case."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from mirvo.core.almanac import Species, rules
from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.angles import clockwise_from
from mirvo.core.errors import BadInput
from mirvo.core.measure.records import RootRecord, Spread
from mirvo.core.plan.case import Case, read_case
from mirvo.core.plan.growth import Rate, Seen, growth_rate
from mirvo.core.plan.problem import FINAL
from mirvo.core.rootwork.budget import origin_factor
from mirvo.core.rootwork.cut_order import RootToCut, roots_to_cut
from mirvo.core.rootwork.share_estimate import feeding_shares
from mirvo.records.database import DbSession
from mirvo.records.models import RootSession, Target, Tree
from mirvo.studio.almanac.species import species_of
from mirvo.studio.path.target import (
    HORIZON_YEARS,
    Gap,
    gap_methods_of,
    holds_of,
    regrowth_of,
)
from mirvo.studio.tree_queries import (
    MeasuredBase,
    measured_base,
    records_over_years,
    sessions_of,
)
from mirvo.studio.yard.settings import yard_of

# Of the growth a container allows; cuts and winters cost the rest.
USUAL_VIGOUR = 0.85
MEASURE_FIRST = "Measure a photo from above first; the plan starts there."
RECORD_FIRST = "Record a root session with the ball's depth; the plan starts from it."


@dataclass(frozen=True)
class GrowthRates:
    """How fast spread and trunk grow in a wide training pot."""

    spread: Rate
    trunk: Rate


@dataclass(frozen=True)
class PlanningCase:
    """A tree's case with what it was made of."""

    case: Case
    growth: GrowthRates
    cuts: list[RootToCut]


def planning_case(db: DbSession, tree: Tree, target: Target, today: date) -> PlanningCase:
    """The planning case of a tree from its records.

    Raises
    ------
    BadInput : says what must be measured or recorded first.
    """
    base = measured_base(db, tree.id)
    if base is None:
        raise BadInput("measurement", MEASURE_FIRST)
    session = next(iter(sessions_of(db, tree.id)), None)
    if session is None or session.ball_depth_after is None:
        raise BadInput("session", RECORD_FIRST)
    ball = session.ball_depth_after
    species = species_of(yard_of(db), tree.species_key)
    # By what stands: roots cut since the measurement feed nobody and close no gap.
    cuts = roots_to_cut(base.roots)
    spread, trunk = _spread(base, target), base.record.trunk_diameter_mm.value
    growth = _growth(db, tree, species, target, trunk)
    given = {
        "today": today.isoformat(),
        "species": {
            "group": species.group,
            "interval_years": species.interval_for(tree.age_class),
            "budget": {school: species.budget.of(school) for school in SCHOOLS},
            "ground_layers": species.ground_layers,
        },
        "strength": tree.strength,
        "age": tree.age_class,
        "origin_factor": origin_factor(tree.origin, tree.acquired_on, today),
        "worth": rules().budget.worth[tree.worth],
        "state": {
            "trunk_diameter_mm": trunk,
            "spread_mm": spread.mean_mm.value,
            "spread_basis": target.basis,
            # Not noted, wood is taken to reach all through the ball: the careful side.
            "woody_depth_mm": min(session.woody_depth_mm or ball, ball),
            "ball_depth_mm": _ball_now(ball, session, today),
            "last_session_year": session.done_on.year,
            "container": tree.container,
            "matted": False,
            "root_azimuths_deg": [_azimuth(root) for root in base.roots],
            "growth": {
                "spread_mm_per_year": round(growth.spread.mm_per_year, 3),
                "trunk_mm_per_year": round(growth.trunk.mm_per_year, 3),
                "spread_sd": round(growth.spread.sd, 3),
                "trunk_sd": round(growth.trunk.sd, 3),
            },
        },
        "faults": _faults(base.roots, cuts, regrowth_of(db, tree.id)),
        "gaps": _gaps(base.roots, cuts, target, gap_methods_of(db, tree.id)),
        "target": {
            "spread_ratio": target.spread_ratio,
            "largest_gap_deg": target.largest_gap_deg,
            "pot_depth_mm": target.pot_depth_mm,
            "year": target.year,
        },
        "holds": [
            {"year": hold.year, "allow": hold.allow}
            for hold in holds_of(db, tree.id)
            # Years gone by bind nothing any more, but a final pot binds from its year on.
            if hold.year > today.year or hold.allow == FINAL
        ],
        "horizon_years": HORIZON_YEARS,
        **({"containers": list(target.containers)} if target.containers else {}),
    }
    return PlanningCase(read_case(given), growth, cuts)


def _azimuth(root: RootRecord) -> float:
    return round(root.azimuth_deg.value, 1)


def _spread(base: MeasuredBase, target: Target) -> Spread:
    """The spread on the target's basis. Raises BadInput when the flare was not marked."""
    spread = base.record.spread.on(target.basis)
    if spread is None:
        raise BadInput(
            "basis", "the flare is not marked in the latest measurement; mark it at the root desk"
        )
    return spread


def _ball_now(depth: float, session: RootSession, today: date) -> float:
    """Ball depth grown since the last session by the container's rule."""
    limit = rules().containers[session.container_after].deepens_to_mm
    if limit is None or depth >= limit:
        return depth
    seasons = today.year - session.done_on.year
    return min(limit, depth + rules().plan.ball_growth_mm * seasons)


def _faults(
    roots: tuple[RootRecord, ...], cuts: list[RootToCut], regrowth: dict[str, int]
) -> list[dict[str, object]]:
    # Where fine roots mostly are is seen at the bench only; until then they count as even.
    shares = feeding_shares(roots, "even")
    return [
        {
            "label": cut.label,
            "share": round(shares[cut.label], 4),
            "priority": index + 1,
            "azimuth_deg": round(cut.azimuth_deg, 1),
            **({"returns_years": regrowth[cut.label]} if cut.label in regrowth else {}),
        }
        for index, cut in enumerate(cuts)
    ]


def _gaps(
    roots: tuple[RootRecord, ...],
    cuts: list[RootToCut],
    target: Target,
    methods: Mapping[Gap, str],
) -> list[dict[str, object]]:
    """Gaps wider than the target once all fault roots are gone, named by the roots beside them."""
    gone = {cut.label for cut in cuts}
    left = sorted((_azimuth(root), root.label) for root in roots if root.label not in gone)
    # One root alone has no neighbour to name a gap by.
    if len(left) < 2:
        return []
    return [
        {
            "from_deg": start,
            "to_deg": end,
            "method": methods.get((root, other), "graft"),
            "between": f"{root}-{other}",
        }
        for (start, root), (end, other) in zip(left, left[1:] + left[:1], strict=True)
        if clockwise_from(start, end) > target.largest_gap_deg
    ]


def _growth(
    db: DbSession, tree: Tree, species: Species, target: Target, trunk_mm: float
) -> GrowthRates:
    spread, trunk = [], []
    for day, record in records_over_years(db, tree.id):
        year = day.year + day.timetuple().tm_yday / 365.25
        wide, thick = record.spread.on(target.basis), record.trunk_diameter_mm
        if wide is not None:
            spread.append(Seen(year, wide.mean_mm.value, wide.mean_mm.plus_minus))
        trunk.append(Seen(year, thick.value, thick.plus_minus))
    factor = _mean_container_factor(db, tree) * USUAL_VIGOUR
    return GrowthRates(
        growth_rate(species.growth.spread, trunk_mm, spread, factor),
        growth_rate(species.growth.trunk, trunk_mm, trunk, factor),
    )


def _mean_container_factor(db: DbSession, tree: Tree) -> float:
    # Before the first session it has grown in the container it stands in.
    names = [session.container_after for session in sessions_of(db, tree.id)] or [tree.container]
    table = rules().containers
    return sum(table[name].growth for name in names) / len(names)
