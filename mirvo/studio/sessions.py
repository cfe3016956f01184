"""Root sessions: what was done, what it took, and what is to be remembered."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints
from sqlalchemy.orm import Session as Unit

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.rootwork import KINDS, kind_by_key, weighed_share
from mirvo.core.season import BUD_STAGES
from mirvo.records.database import reading, writing
from mirvo.records.models import Measurement, Session, Tree, Yard
from mirvo.studio.care import plan_care
from mirvo.studio.context import Studio
from mirvo.studio.histories import measured_roots, sessions_of
from mirvo.studio.practice import practice_for
from mirvo.studio.reckoning import (
    Reckoning,
    Soil,
    correction_of,
    kind_budget,
    reckon,
    season_of,
    shares_by_root,
    tree_budget,
)
from mirvo.studio.species import species_of
from mirvo.studio.trees import load_tree

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
    top_reduced: Annotated[float, Field(ge=0, le=100)] | None = None
    offcuts_g: Annotated[float, Field(ge=0, le=500_000)] | None = None
    ball_g: Annotated[float, Field(gt=0, le=500_000)] | None = None
    details: dict[str, Any] = {}

    def soil_taken(self) -> Soil:
        """What goes from the ball besides single roots."""
        return Soil(
            self.slice_mm,
            self.matted,
            self.ball_length_before,
            self.ball_width_before,
            self.ball_depth_before,
            self.ball_length_after,
        )


def reckon_form(
    unit: Unit,
    studio_yard: Yard,
    tree: Tree,
    form: SessionForm,
    measurement: Measurement | None,
    roots: list[dict[str, Any]],
) -> Reckoning:
    """Share and budget of a form for its tree. Raises BadInput."""
    practice = practice_for(studio_yard, tree)
    species = species_of(studio_yard, tree.species_key)
    frost = studio_yard.last_frost
    season = season_of(tree, species, frost, form.done_on, form.bud_stage, practice)
    budget = tree_budget(tree, species, practice, season, form.done_on, form.top_reduced or 0.0)
    figures = None if measurement is None else measurement.figures
    costs = {
        root.label: {"keep": 0.0, "shorten": root.part, "remove": 1.0}[root.action]
        for root in form.roots
    }
    return reckon(
        shares_by_root(roots, figures, form.fine_roots),
        costs,
        form.soil_taken(),
        correction_of(unit, tree.id),
        kind_budget(form.kind, budget),
        season,
    )


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
        return put_session(studio, unit, yard, tree_id, form)


def put_session(studio: Studio, unit: Unit, yard: Yard, tree_id: int, form: SessionForm) -> Session:
    """Put a checked session and its aftercare into a transaction. Raises BadInput."""
    tree = load_tree(unit, tree_id)
    measurement, roots = roots_for(unit, tree_id, form)
    reckoned = reckon_form(unit, yard, tree, form, measurement, roots)
    session = row_of(tree_id, form, reckoned, measurement, roots)
    session.created_at = studio.now
    unit.add(session)
    unit.flush()
    plan_care(unit, session, tree, yard, studio.today)
    tree.container = form.container_after
    tree.updated_at = studio.now
    return session


def roots_for(
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
        measurement, roots = roots_for(unit, tree_id, form)
        return reckon_form(unit, yard, tree, form, measurement, roots)


def row_of(
    tree_id: int,
    form: SessionForm,
    reckoned: Reckoning,
    measurement: Measurement | None,
    roots: list[dict[str, Any]],
) -> Session:
    """A reckoned form as a record, not kept yet."""
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
        details={
            **form.details,
            "fine_roots": form.fine_roots,
            "top_reduced": form.top_reduced,
            **_weighed(form, reckoned),
        },
    )


def _weighed(form: SessionForm, reckoned: Reckoning) -> dict[str, Any]:
    """The share by the scale beside the computed one, where both were weighed."""
    if form.offcuts_g is None or form.ball_g is None:
        return {}
    return {
        "offcuts_g": form.offcuts_g,
        "ball_g": form.ball_g,
        "share_weighed": round(weighed_share(form.offcuts_g, form.ball_g), 4),
        "share_plain": round(reckoned.plain, 4),
    }


def _ball(length: float | None, width: float | None, depth: float | None) -> dict[str, Any]:
    return {"length_mm": length, "width_mm": width, "depth_mm": depth}


def sessions_of_tree(studio: Studio, tree_id: int) -> list[Session]:
    """Sessions of a tree, newest first."""
    with reading(studio.engine) as unit:
        return list(sessions_of(unit, tree_id))


def get_session(studio: Studio, session_id: int) -> Session:
    with reading(studio.engine) as unit:
        session = unit.get(Session, session_id)
    if session is None:
        raise NotFound("session", "there is no such session")
    return session


def kind_name(key: str) -> str:
    return next((kind.name for kind in KINDS if kind.key == key), key)
