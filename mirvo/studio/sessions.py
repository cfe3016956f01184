"""Root sessions: what was done, what it took, and what is to be remembered."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from sqlalchemy import select
from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import rules, species_by_key
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import (
    KINDS,
    Ball,
    kind_by_key,
    removal_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
)
from mirvo.core.season import year_window
from mirvo.records.database import reading, writing
from mirvo.records.models import MEASURED_FROM_ABOVE, Measurement, Session, Tree
from mirvo.studio.context import Studio
from mirvo.studio.trees import load_tree

BUD_STAGES = (
    "dormant",
    "buds swelling",
    "buds opening",
    "leaves out",
    "hardened",
    "leaf fall",
)
COLLECTED = ("dug from a garden", "collected with permission")
Text = Annotated[str, StringConstraints(strip_whitespace=True, max_length=4000)]
Length = Annotated[float, Field(gt=0, le=5000, allow_inf_nan=False)]


class RootDone(BaseModel):
    """What was done to one measured root; `part` is the share of its length cut off."""

    label: str
    action: Literal["keep", "shorten", "remove"] = "keep"
    part: Annotated[float, Field(ge=0, le=1)] = 0.5


class SessionForm(BaseModel):
    """A root session as entered; lengths in mm, shares in percent."""

    model_config = ConfigDict(extra="ignore")
    kind: str = "routine"
    done_on: date
    bud_stage: Literal["", *BUD_STAGES] = ""  # type: ignore[valid-type]
    reason: Text = ""
    ball_length_before: Length | None = None
    ball_width_before: Length | None = None
    ball_depth_before: Length | None = None
    ball_length_after: Length | None = None
    ball_width_after: Length | None = None
    ball_depth_after: Length | None = None
    woody_depth_mm: Length | None = None
    slice_mm: Annotated[float, Field(ge=0, le=2000)] = 0.0
    matted: bool = False
    fine_roots: Literal["mostly below", "even", "mostly at the surface"] = "even"
    share_judged: Annotated[float, Field(ge=0, le=100)] | None = None
    pot_before: Text = ""
    pot_after: Text = ""
    pot_length_mm: Length | None = None
    pot_depth_mm: Length | None = None
    container_after: str = "wide training pot"
    soil: Text = ""
    flare_height_mm: Annotated[float, Field(ge=-500, le=500)] | None = None
    found: Text = ""
    next_time: Text = ""
    measurement_id: int | None = None
    roots: list[RootDone] = []


@dataclass(frozen=True)
class Reckoning:
    """Share of the feeding root a session takes and what the tree could bear."""

    share: float
    budget: float
    by_root: dict[str, float]
    season: str


def measured_roots(
    unit: Unit, tree_id: int, until: date | None = None
) -> tuple[Measurement | None, list[dict[str, Any]]]:
    """The latest measurement with figures and its roots, those removed since left out."""
    query = select(Measurement).where(Measurement.tree_id == tree_id, MEASURED_FROM_ABOVE)
    if until is not None:
        query = query.where(Measurement.measured_on <= until)
    newest = query.order_by(Measurement.measured_on.desc(), Measurement.id.desc()).limit(1)
    found = unit.scalar(newest)
    if found is None or found.figures is None:
        return None, []
    done = unit.scalars(select(Session.roots).where(Session.tree_id == tree_id)).all()
    gone = {
        root["label"]
        for roots in done
        for root in roots
        if root["action"] == "remove" and root.get("measurement_id") == found.id
    }
    return found, [root for root in found.figures["roots"] if root["label"] not in gone]


def season_of(tree: Tree, last_frost: str, day: date, bud_stage: str) -> str:
    """open, edge or shut; what the artist saw on the buds beats the calendar."""
    species = species_by_key(tree.species_key)
    if species.group == "temperate deciduous" and bud_stage in ("buds swelling", "buds opening"):
        return "open"
    start, end, _ = year_window(species, last_frost, day.year)
    if start <= day <= end:
        return "open"
    away = min(abs((day - start).days), abs((day - end).days))
    return "edge" if away <= 28 else "shut"


def reckon(
    tree: Tree,
    form: SessionForm,
    figures: dict[str, Any] | None,
    roots: list[dict[str, Any]],
    school: str,
    last_frost: str,
) -> Reckoning:
    """Share taken (computed) and budget of a session. Raises BadInput."""
    kind = kind_by_key(form.kind)
    plan = {root["label"]: root for root in (figures or {}).get("plan", {}).get("roots", [])}
    shares = root_shares(
        [
            (
                root["label"],
                (root["base_width_mm"] or {"value": 1.0})["value"],
                plan.get(root["label"], {}).get("feeders"),
                plan.get(root["label"], {}).get("condition", "sound"),
            )
            for root in roots
        ],
        form.fine_roots,
    )
    known = {root["label"] for root in roots}
    taken = 0.0
    for root in form.roots:
        if root.label not in known:
            raise BadInput("roots", f"root {root.label} is not among the measured roots")
        factor = {"keep": 0.0, "shorten": root.part, "remove": 1.0}[root.action]
        taken += shares[root.label] * factor
    season = season_of(tree, last_frost, form.done_on, form.bud_stage)
    return Reckoning(
        session_share(taken, _soil_parts(form)),
        kind.own_budget if kind.own_budget is not None else tree_budget(tree, school, season, form),
        shares,
        season,
    )


def _soil_parts(form: SessionForm) -> list[float]:
    parts = []
    if form.slice_mm > 0:
        if form.ball_depth_before is None:
            raise BadInput("ball_depth_before", "is needed to reckon what the slice took")
        parts.append(slice_part(form.slice_mm, form.ball_depth_before, form.matted))
    before, after = form.ball_length_before, form.ball_length_after
    wide = form.ball_width_before
    if before and after and wide and after < before:
        trim = (before - after) / 2
        parts.append(side_trim_part(trim, Ball(before, wide, form.ball_depth_before or 1.0)))
    return parts


def tree_budget(tree: Tree, school: str, season: str, form: SessionForm | None = None) -> float:
    """Removal budget of a tree now."""
    species = species_by_key(tree.species_key)
    return removal_budget(
        species.budget.of(school),
        tree.strength,
        tree.age_class,
        season,
        origin_factor=origin_factor(tree, form.done_on if form else None),
        worth=rules().budget.worth[tree.worth],
    )


def origin_factor(tree: Tree, day: date | None) -> float:
    """0.7 within two years of collection, else 1."""
    recent = (
        day is not None
        and tree.origin in COLLECTED
        and tree.acquired_on is not None
        and (day - tree.acquired_on).days < 730
    )
    return rules().budget.collected_recently if recent else 1.0


def check_session(studio: Studio, form: SessionForm) -> None:
    """Refuse what cannot be. Raises BadInput at the field."""
    kind_by_key(form.kind)
    if form.done_on > studio.today:
        raise BadInput(
            "done_on", f"{form.done_on:%d %b %Y} lies in the future; record what was done"
        )
    if form.container_after not in rules().containers:
        raise BadInput("container_after", f"'{form.container_after}' is not a container")
    depth, cut = form.ball_depth_before, form.slice_mm
    if depth is not None and cut >= depth:
        raise BadInput("slice_mm", f"a slice of {cut:g} mm is the whole ball of {depth:g} mm")
    after = form.ball_depth_after
    if after is not None and depth is not None and after > depth + 1:
        raise BadInput("ball_depth_after", "the ball is deeper after the session than before")


def record_session(studio: Studio, tree_id: int, form: SessionForm) -> Session:
    """Keep a session with its share computed against the budget."""
    check_session(studio, form)
    yard = studio.yard()
    with writing(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        measurement, roots = _roots_for(unit, tree_id, form)
        figures = None if measurement is None else measurement.figures
        reckoned = reckon(tree, form, figures, roots, yard.school, yard.last_frost)
        session = _as_row(tree_id, form, reckoned, measurement, roots)
        session.created_at = studio.now
        unit.add(session)
        tree.container = form.container_after
        tree.updated_at = studio.now
    return session


def _roots_for(
    unit: Unit, tree_id: int, form: SessionForm
) -> tuple[Measurement | None, list[dict[str, Any]]]:
    """The measurement the ticked roots belong to, else the latest before the session."""
    if form.measurement_id is None:
        return measured_roots(unit, tree_id, form.done_on)
    found = unit.get(Measurement, form.measurement_id)
    if found is None or found.tree_id != tree_id or found.figures is None:
        raise BadInput("roots", "the roots were measured anew meanwhile; open the form again")
    return found, list(found.figures["roots"])


def preview_session(studio: Studio, tree_id: int, form: SessionForm) -> Reckoning:
    """What a session as entered would take, without keeping it. Raises BadInput."""
    check_session(studio, form)
    yard = studio.yard()
    with reading(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        measurement, roots = _roots_for(unit, tree_id, form)
    figures = None if measurement is None else measurement.figures
    return reckon(tree, form, figures, roots, yard.school, yard.last_frost)


def _as_row(
    tree_id: int,
    form: SessionForm,
    reckoned: Reckoning,
    measurement: Measurement | None,
    roots: list[dict[str, Any]],
) -> Session:
    by_label = {root["label"]: root for root in roots}
    done = [
        {
            **root.model_dump(),
            "share": round(reckoned.by_root[root.label], 4),
            "azimuth_deg": by_label[root.label]["azimuth_deg"]["value"],
            "measurement_id": None if measurement is None else measurement.id,
        }
        for root in form.roots
        if root.action != "keep"
    ]
    depth_after = form.ball_depth_after
    if depth_after is None and form.ball_depth_before is not None:
        depth_after = form.ball_depth_before - form.slice_mm
    return Session(
        tree_id=tree_id,
        kind=form.kind,
        done_on=form.done_on,
        bud_stage=form.bud_stage,
        reason=form.reason,
        ball_before=_ball(form.ball_length_before, form.ball_width_before, form.ball_depth_before),
        ball_after=_ball(form.ball_length_after, form.ball_width_after, depth_after),
        roots=done,
        slice_mm=form.slice_mm,
        matted=form.matted,
        share_computed=round(reckoned.share, 4),
        share_judged=None if form.share_judged is None else form.share_judged / 100,
        budget=round(reckoned.budget, 4),
        woody_depth_mm=form.woody_depth_mm,
        flare_height_mm=form.flare_height_mm,
        pot_before=form.pot_before,
        pot_after=form.pot_after,
        pot_after_size={"length_mm": form.pot_length_mm, "depth_mm": form.pot_depth_mm},
        container_after=form.container_after,
        soil=form.soil,
        found=form.found,
        next_time=form.next_time,
    )


def _ball(length: float | None, width: float | None, depth: float | None) -> dict[str, Any]:
    return {"length_mm": length, "width_mm": width, "depth_mm": depth}


def sessions_of_tree(studio: Studio, tree_id: int) -> list[Session]:
    """Sessions of a tree, newest first."""
    query = (
        select(Session)
        .where(Session.tree_id == tree_id)
        .order_by(Session.done_on.desc(), Session.id.desc())
    )
    with reading(studio.engine) as unit:
        return list(unit.scalars(query))


def get_session(studio: Studio, session_id: int) -> Session:
    with reading(studio.engine) as unit:
        session = unit.get(Session, session_id)
    if session is None:
        raise NotFound("session", "there is no such session")
    return session


def kind_name(key: str) -> str:
    return next((kind.name for kind in KINDS if kind.key == key), key)
