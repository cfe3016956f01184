"""A tree's target, and what is fixed by hand on the way to it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.plan.case import Allow, GapMethod
from mirvo.core.plan.ground import FINAL
from mirvo.records.database import writing
from mirvo.records.models import Measurement, Target, Tree
from mirvo.studio.context import Studio
from mirvo.studio.trees import load_tree

HORIZON_YEARS = 15
MOST_WHY = 200
MOST_LABEL = 12
MOST_BETWEEN = 2 * MOST_LABEL + 1
GAP_METHODS: tuple[str, ...] = get_args(GapMethod)
ALLOWED: tuple[str, ...] = get_args(Allow)


class TargetForm(BaseModel):
    """A target as entered."""

    model_config = ConfigDict(extra="ignore")
    spread_ratio: Annotated[float, Field(ge=1.05, le=10, allow_inf_nan=False)]
    basis: Literal["flare", "roots"] = "flare"
    largest_gap_deg: Annotated[float, Field(ge=30, le=360, allow_inf_nan=False)] = 90.0
    pot_depth_mm: Annotated[float, Field(ge=31, le=500, allow_inf_nan=False)]
    year: Annotated[int, Field(ge=1900, le=2300)] | None = None


def set_target(studio: Studio, tree_id: int, form: TargetForm) -> Target:
    """Keep a target; what is fixed by hand stays.

    Raises
    ------
    BadInput : it lies in the past or cannot hold a ball.
    """
    if form.year is not None and form.year < studio.today.year:
        raise BadInput("year", f"{form.year} has passed; wish for {studio.today.year} or later")
    with writing(studio.engine) as unit:
        load_tree(unit, tree_id)
        target = Target(tree_id=tree_id, updated_at=studio.now, **form.model_dump())
        return unit.merge(target)


def hold_year(studio: Studio, tree_id: int, year: int, why: str, allow: str = "none") -> None:
    """Fix a year by hand, and keep why. `allow` is one of `ALLOWED`, see `core.plan.case.Hold`.

    Raises
    ------
    BadInput : there is no target yet, or the year lies outside the plan.
    """
    first, last = studio.today.year, studio.today.year + HORIZON_YEARS
    if not first <= year <= last:
        raise BadInput("hold_year", f"{year} lies outside the plan, {first} to {last}")
    if allow not in ALLOWED:
        raise BadInput("hold_year", f"'{allow}' is not one of {', '.join(ALLOWED)}")
    with writing(studio.engine) as unit:
        target = _target(unit, tree_id)
        others = [one for one in target.holds if not _replaced(one, year, allow)]
        kept = [*others, {"year": year, "why": why[:MOST_WHY], "allow": allow}]
        target.holds = sorted(kept, key=lambda one: one["year"])
        target.updated_at = studio.now


def _replaced(old: dict[str, Any], year: int, allow: str) -> bool:
    """Whether an earlier fixing gives way: one pot year in all, one word on each other year."""
    if allow == FINAL:
        return allow_of(old) == FINAL
    return bool(old["year"] == year) and allow_of(old) != FINAL


def allow_of(hold: Mapping[str, Any]) -> str:
    """What a kept year allows; those kept before there was a choice allow no session."""
    return str(hold.get("allow", "none"))


def release_year(studio: Studio, tree_id: int, year: int) -> None:
    """Leave a year to the plan again. Raises BadInput without a target."""
    with writing(studio.engine) as unit:
        target = _target(unit, tree_id)
        target.holds = [one for one in target.holds if one["year"] != year]
        target.updated_at = studio.now


def choose_containers(studio: Studio, tree_id: int, names: list[str]) -> None:
    """Say which containers are at hand for a tree; the final pot always is.

    Raises
    ------
    BadInput : a container Mirvo does not know, or none to grow in.
    """
    known = rules().containers
    unknown = [name for name in names if name not in known]
    if unknown:
        raise BadInput("containers", f"'{unknown[0]}' is not a container Mirvo knows")
    if not set(names) - {FINAL}:
        raise BadInput("containers", "tick at least one container for the tree to grow in")
    with writing(studio.engine) as unit:
        target = _target(unit, tree_id)
        target.containers = [name for name in known if name in names or name == FINAL]
        target.updated_at = studio.now


def choose_gap_methods(studio: Studio, tree_id: int, methods: Mapping[str, str]) -> None:
    """Say how gaps are to be closed, by the roots on their sides ("C-D").

    Raises BadInput for a way Mirvo does not know.
    """
    for between, method in methods.items():
        if method not in GAP_METHODS:
            raise BadInput("gaps", f"'{method}' is not one of {', '.join(GAP_METHODS)}")
        if len(between) > MOST_BETWEEN:
            raise BadInput("gaps", f"'{between[:MOST_BETWEEN]}…' names no gap of this tree")
    with writing(studio.engine) as unit:
        target = _target(unit, tree_id)
        target.gap_methods = {**target.gap_methods, **methods}
        target.updated_at = studio.now


def expect_back(studio: Studio, tree_id: int, years: Mapping[str, int | None]) -> None:
    """Say after how many years cut roots grow back, by letter; None for one that stays away.

    Raises BadInput for years that are not 1 to 15.
    """
    if any(value is not None and not 1 <= value <= HORIZON_YEARS for value in years.values()):
        raise BadInput("returns", f"a root grows back after 1 to {HORIZON_YEARS} years, or not")
    with writing(studio.engine) as unit:
        target = _target(unit, tree_id)
        known = {label: value for label, value in years.items() if len(label) <= MOST_LABEL}
        merged = {**target.returns, **known}
        target.returns = {label: value for label, value in merged.items() if value is not None}
        target.updated_at = studio.now


def _target(unit: Unit, tree_id: int) -> Target:
    target = unit.get(Target, tree_id)
    if target is None:
        raise BadInput("hold_year", "set a target first; the rest is fixed within its plan")
    return target


@dataclass(frozen=True)
class DefaultTarget:
    """A target to begin with, and why."""

    spread_ratio: float
    largest_gap_deg: float
    pot_depth_mm: float
    reasons: list[str]


def default_target(tree: Tree, measurement: Measurement | None) -> DefaultTarget:
    """What to wish for at first: by size and where the tree stands now."""
    figures = None if measurement is None else measurement.figures
    table = rules().target
    if figures is None:
        return DefaultTarget(table.spread_ratio, table.largest_gap_deg, table.least_pot_mm, [])
    trunk = figures["trunk_diameter_mm"]["value"]
    basis = figures["spread"]["flare"] or figures["spread"]["roots"]
    now = basis["ratio"]["value"]
    ratio = round(max(table.spread_ratio, now + table.spread_step), 1)
    depth = max(table.least_pot_mm, round(trunk))
    reasons = [
        f"Spread {ratio:.1f} trunks: it stands at {now:.2f} now.",
        f"Pot {depth:.0f} mm deep: about the trunk's diameter at the base, {trunk:.0f} mm; "
        "guidance, not a rule.",
        f"No gap over {table.largest_gap_deg:.0f}°: roots that reach into every quarter.",
    ]
    return DefaultTarget(ratio, table.largest_gap_deg, float(depth), reasons)
