"""Path: from a tree's records to a planning case and its plan."""

from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import Species, rules
from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.errors import BadInput
from mirvo.core.plan.case import read_case
from mirvo.core.plan.ground import FINAL
from mirvo.core.plan.growth import Rate, Seen, growth_rate
from mirvo.core.plan.paths import plan
from mirvo.core.rootwork.advice import RootToCut, roots_to_cut
from mirvo.records.database import reading
from mirvo.records.models import Measurement, Session, Target, Tree, Yard
from mirvo.studio.context import Studio
from mirvo.studio.histories import figures_over_years, measured_roots, sessions_of, target_of
from mirvo.studio.plans import keep_plan, newest_plan
from mirvo.studio.reckoning import origin_factor, shares_by_root
from mirvo.studio.species import species_of
from mirvo.studio.target import HORIZON_YEARS, allow_of
from mirvo.studio.trees import load_tree

USUAL_VIGOUR = 0.85


@dataclass(frozen=True)
class PathView:
    """What the path page shows; `missing` says what must be recorded before planning."""

    tree: Tree
    target: Target | None
    case: dict[str, Any] | None
    result: dict[str, Any] | None
    growth: dict[str, Rate] | None
    cuts: list[RootToCut]
    missing: str | None
    stale: bool = False


def path_view(studio: Studio, tree_id: int, compute: bool = True) -> PathView:
    """Target, case and plan of a tree; planned anew when its records have changed."""
    yard = studio.yard()
    with reading(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        target = target_of(unit, tree_id)
        if target is None:
            return PathView(tree, None, None, None, None, [], _first_missing(unit, tree_id))
        try:
            case, growth, cuts = build_case(unit, yard, tree, target, studio.today)
            checked = read_case(case)
        except BadInput as error:
            return PathView(tree, target, None, None, None, [], error.message)
        kept = newest_plan(unit, tree_id)
    digest = _digest(case)
    if kept is not None and kept.case_digest == digest:
        return PathView(tree, target, case, kept.result, growth, cuts, None)
    if not compute:
        result = None if kept is None else kept.result
        return PathView(tree, target, case, result, growth, cuts, None, stale=True)
    result = plan(checked)
    keep_plan(studio, tree_id, case, result, digest)
    return PathView(tree, target, case, result, growth, cuts, None)


def _digest(case: dict[str, Any]) -> str:
    """The case without its day: a plan stays good within the year."""
    stable = {**case, "today": case["today"][:4]}
    return hashlib.sha256(json.dumps(stable, sort_keys=True).encode()).hexdigest()


def _first_missing(unit: Unit, tree_id: int) -> str | None:
    measurement, _ = measured_roots(unit, tree_id)
    return None if measurement else "Measure a photo from above first; the plan starts there."


def spread_of(figures: dict[str, Any], basis: str) -> dict[str, Any]:
    """Spread figures on one basis. Raises BadInput when the flare was not marked."""
    spread = figures["spread"][basis]
    if spread is None:
        raise BadInput(
            "basis", "the flare is not marked in the latest measurement; mark it at the root desk"
        )
    return dict(spread)


def build_case(
    unit: Unit, yard: Yard, tree: Tree, target: Target, today: date
) -> tuple[dict[str, Any], dict[str, Rate], list[RootToCut]]:
    """The planning case of a tree from its records.

    Raises
    ------
    BadInput : says what must be measured or recorded first.
    """
    measurement, roots = measured_roots(unit, tree.id)
    if measurement is None or measurement.figures is None:
        raise BadInput("measurement", "Measure a photo from above first; the plan starts there.")
    session = next(iter(sessions_of(unit, tree.id)), None)
    if session is None or session.ball_after.get("depth_mm") is None:
        raise BadInput(
            "session", "Record a root session with the ball's depth; the plan starts from it."
        )
    species = species_of(yard, tree.species_key)
    cuts = roots_to_cut(roots)
    spread = spread_of(measurement.figures, target.basis)
    trunk = measurement.figures["trunk_diameter_mm"]["value"]
    growth = _growth(unit, tree, species, target.basis, trunk)
    ball = float(session.ball_after["depth_mm"])
    case = {
        "today": today.isoformat(),
        "species": {
            "group": species.group,
            "interval_years": species.interval_for(tree.age_class),
            "budget": {school: species.budget.of(school) for school in SCHOOLS},
            "ground_layers": species.ground_layers,
        },
        "strength": tree.strength,
        "age": tree.age_class,
        "origin_factor": origin_factor(tree, today),
        "worth": rules().budget.worth[tree.worth],
        "state": {
            "trunk_diameter_mm": trunk,
            "spread_mm": spread["mean_mm"]["value"],
            "spread_basis": target.basis,
            "woody_depth_mm": min(session.woody_depth_mm or ball, ball),
            "ball_depth_mm": _ball_now(ball, session, today),
            "last_session_year": session.done_on.year,
            "container": tree.container,
            "matted": False,
            "root_azimuths_deg": [round(root["azimuth_deg"]["value"], 1) for root in roots],
            "growth": {
                "spread_mm_per_year": round(growth["spread"].mm_per_year, 3),
                "trunk_mm_per_year": round(growth["trunk"].mm_per_year, 3),
                "spread_sd": round(growth["spread"].sd, 3),
                "trunk_sd": round(growth["trunk"].sd, 3),
            },
        },
        "faults": _faults(measurement, roots, cuts, target.returns),
        "gaps": _gaps(roots, cuts, target),
        "target": {
            "spread_ratio": target.spread_ratio,
            "largest_gap_deg": target.largest_gap_deg,
            "pot_depth_mm": target.pot_depth_mm,
            "year": target.year,
        },
        "holds": [
            {"year": one["year"], "allow": allow_of(one)}
            for one in target.holds
            if one["year"] > today.year or allow_of(one) == FINAL
        ],
        "horizon_years": HORIZON_YEARS,
        **({"containers": target.containers} if target.containers else {}),
    }
    return case, growth, cuts


def _ball_now(depth: float, session: Session, today: date) -> float:
    """Ball depth grown since the last session by the container's rule."""
    limit = rules().containers[session.container_after].deepens_to_mm
    if limit is None or depth >= limit:
        return depth
    seasons = today.year - session.done_on.year
    return min(limit, depth + rules().plan.ball_growth_mm * seasons)


def _faults(
    measurement: Measurement,
    roots: list[dict[str, Any]],
    cuts: list[RootToCut],
    returns: dict[str, int],
) -> list[dict[str, Any]]:
    shares = shares_by_root(roots, measurement.figures, "even")
    return [
        {
            "label": cut.label,
            "share": round(shares[cut.label], 4),
            "priority": index + 1,
            "azimuth_deg": round(cut.azimuth_deg, 1),
            **({"returns_years": returns[cut.label]} if cut.label in returns else {}),
        }
        for index, cut in enumerate(cuts)
    ]


def _gaps(
    roots: list[dict[str, Any]], cuts: list[RootToCut], target: Target
) -> list[dict[str, Any]]:
    """Gaps wider than the target once all fault roots are gone, named by the roots beside them."""
    gone, limit = {cut.label for cut in cuts}, target.largest_gap_deg
    left = sorted(
        (round(root["azimuth_deg"]["value"], 1), root["label"])
        for root in roots
        if root["label"] not in gone
    )
    if len(left) < 2:
        return []
    found = []
    for (start, one), (end, other) in zip(left, left[1:] + left[:1], strict=True):
        if (end - start) % 360.0 > limit:
            between = f"{one}-{other}"
            method = target.gap_methods.get(between, "graft")
            found.append({"from_deg": start, "to_deg": end, "method": method, "between": between})
    return found


def _growth(
    unit: Unit, tree: Tree, species: Species, basis: str, trunk_mm: float
) -> dict[str, Rate]:
    spread, trunk = [], []
    for day, figures in figures_over_years(unit, tree.id):
        year = day.year + day.timetuple().tm_yday / 365.25
        wide, thick = figures["spread"][basis], figures["trunk_diameter_mm"]
        if wide is not None:
            mean = wide["mean_mm"]
            spread.append(Seen(year, mean["value"], mean["plus_minus"]))
        trunk.append(Seen(year, thick["value"], thick["plus_minus"]))
    factor = _mean_container_factor(unit, tree) * USUAL_VIGOUR
    return {
        "spread": growth_rate(species.growth.spread, trunk_mm, spread, factor),
        "trunk": growth_rate(species.growth.trunk, trunk_mm, trunk, factor),
    }


def _mean_container_factor(unit: Unit, tree: Tree) -> float:
    names = [one.container_after for one in sessions_of(unit, tree.id)] or [tree.container]
    table = rules().containers
    return sum(table[name].growth for name in names) / len(names)
