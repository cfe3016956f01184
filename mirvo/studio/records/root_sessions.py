"""Root sessions: what was done, what it took, and what is to be remembered."""

from __future__ import annotations

from dataclasses import dataclass, replace

from mirvo.core.almanac.practice import Practice, clears_by, practice_of
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.limits.sessions import SessionFields
from mirvo.core.measure.records import RootRecord
from mirvo.core.pot import soil_litres
from mirvo.core.rootwork import opens_ball, weighed_share
from mirvo.core.rootwork.bench import bares_roots
from mirvo.core.rootwork.share_estimate import ShareEstimate
from mirvo.records.database import DbSession, find_kept
from mirvo.records.models import CutRecord, FindingRecord, Measurement, RootSession, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.roots_of_tree import root_of
from mirvo.studio.records.aftercare import plan_care
from mirvo.studio.records.session_form import ENTERED, BenchDetails
from mirvo.studio.records.share import share_of_form
from mirvo.studio.shelf.soil import recipe_of, take_from_stock
from mirvo.studio.shelf.supplies import take_supplies, used_in
from mirvo.studio.standing.kept_plans import planned_step
from mirvo.studio.standing.pot_of_tree import (
    USUAL_TRUNK_MM,
    ball_of_tree,
    load_pot,
    pot_of_tree,
    stand_in,
)
from mirvo.studio.standing.practice import practice_for
from mirvo.studio.standing.species import species_of_tree
from mirvo.studio.standing.tree_queries import (
    MeasuredBase,
    base_before,
    load_tree,
    measured_base,
    sessions_of,
)

NOTHING_MORE = BenchDetails()
# Kinds that leave nothing of the old soil, whatever the practice.
SOIL_CHANGED = ("change-soil", "emergency")


@dataclass(frozen=True)
class WorkedOut:
    """A session as entered with what it rests on: the roots that stood, share and budget."""

    form: SessionFields
    details: BenchDetails
    base: MeasuredBase | None
    estimate: ShareEstimate

    @property
    def roots(self) -> dict[str, RootRecord]:
        return {} if self.base is None else {root.label: root for root in self.base.roots}


def load_session(db: DbSession, session_id: int) -> RootSession:
    """One recorded session. Raises NotFound."""
    session = find_kept(db, RootSession, session_id)
    if session is None:
        raise NotFound("session", "there is no such session")
    return session


def record_session(studio: Studio, tree_id: int, form: SessionFields) -> RootSession:
    """Keep a session with its share computed against the budget. Raises BadInput."""
    with studio.writing() as db:
        return put_session(db, studio, tree_id, form)


def preview_session(
    db: DbSession, studio: Studio, tree_id: int, form: SessionFields
) -> ShareEstimate:
    """What a session as entered would take, without keeping it. Raises BadInput."""
    form.check(studio.today)
    return work_out(db, studio, load_tree(db, tree_id), form).estimate


def put_session(
    db: DbSession,
    studio: Studio,
    tree_id: int,
    form: SessionFields,
    details: BenchDetails = NOTHING_MORE,
) -> RootSession:
    """Put a session, its cuts and its aftercare into a transaction. Raises BadInput."""
    form.check(studio.today)
    tree = load_tree(db, tree_id)
    form = of_the_shelf(db, _moved_out(tree, form))
    if opens_ball(form.kind):
        details = replace(details, planned=planned_step(db, tree_id, form.done_on))
    worked_out = work_out(db, studio, tree, form, details)
    session = RootSession(tree_id=tree_id)
    db.add(session)
    keep_record(db, studio, tree, session, worked_out)
    stands_as_left(db, tree, session)
    take_from_stock(db, session, _soil_used(db, tree, session))
    if bares_roots(session.kind):
        removed = sum(root.action == "remove" for root in form.roots)
        take_supplies(db, used_in(db, tree, session, removed))
    return session


def _moved_out(tree: Tree, form: SessionFields) -> SessionFields:
    """The form without the pot it stood in, where another container or pot was said.

    Forms begin with the pot a tree stands in; what was changed beside it counts for more.
    """
    pot = tree.pot
    if pot is None or form.pot_id != pot.id:
        return form
    elsewhere = form.container_after != tree.container or form.pot_after not in ("", pot.name)
    return form.model_copy(update={"pot_id": None}) if elsewhere else form


def of_the_shelf(db: DbSession, form: SessionFields) -> SessionFields:
    """The form with what the shelf knows of its pot and soil, where nothing else was said.

    Raises
    ------
    BadInput : there is no such pot or recipe.
    """
    known: dict[str, object] = {}
    if form.pot_id is not None:
        pot = load_pot(db, form.pot_id)
        known = {
            "pot_after": pot.name,
            "pot_length_mm": pot.length_mm,
            "pot_depth_mm": pot.depth_mm,
        }
    if form.recipe_id is not None:
        known["soil"] = recipe_of(db, form.recipe_id).recipe.name
    missing = {name: value for name, value in known.items() if not getattr(form, name)}
    return form.model_copy(update=missing)


def stands_as_left(db: DbSession, tree: Tree, session: RootSession) -> None:
    """After its newest session a tree stands in the container and pot that were said; in none of
    the shelf when another was. One that was recorded late changes nothing. Raises BadInput."""
    newest = next(iter(sessions_of(db, tree.id)), None)
    if newest is not None and newest.done_on > session.done_on:
        return
    if session.kind == "collection":
        tree.in_ground, tree.dug_on = False, session.done_on
    if opens_ball(session.kind):
        tree.held_bare = False
    pot = tree.pot
    moved = session.container_after != tree.container
    tree.container = session.container_after
    if session.pot_id is not None:
        stand_in(db, tree, session.pot_id, session.done_on)
    elif pot is not None and (moved or session.pot_after not in ("", pot.name)):
        stand_in(db, tree, None, session.done_on)


def _soil_used(db: DbSession, tree: Tree, session: RootSession) -> float:
    """Soil of the recipe that the pot took, l."""
    if session.recipe_id is None:
        return 0.0
    inside = None if session.pot_id is None else load_pot(db, session.pot_id).inside
    pot = inside or pot_of_tree(tree, [session]).whole(tree.trunk_mm or USUAL_TRUNK_MM)
    return soil_litres(pot, ball_of_tree([session], pot, session.ball_depth_after))


def work_out(
    db: DbSession,
    studio: Studio,
    tree: Tree,
    form: SessionFields,
    details: BenchDetails = NOTHING_MORE,
    session: RootSession | None = None,
) -> WorkedOut:
    """What a session takes; `session` is its record when it is being put right.

    Raises
    ------
    BadInput : at the field that cannot be.
    """
    # As it was held that day, where that was noted; else as it is held now.
    practice: Practice = details.practice or practice_for(yard_of(db), tree)
    base = _base_for(db, tree.id, form, session)
    # Its own weighing must not correct the share it is compared with.
    but_for = None if session is None else session.id
    estimate = share_of_form(
        db, studio, tree, form, base, practice, details.findings, details.notes, but_for
    )
    return WorkedOut(form, details, base, estimate)


def _base_for(
    db: DbSession, tree_id: int, form: SessionFields, session: RootSession | None
) -> MeasuredBase | None:
    """The measurement the ticked roots belong to, else the latest before the session."""
    # A record entered later rests on what was measured by then.
    if form.measurement_id is None:
        newest = measured_base(db, tree_id, form.done_on)
        return (
            None if newest is None else base_before(db, newest.measurement, form.done_on, session)
        )
    found = find_kept(db, Measurement, form.measurement_id)
    base = None
    # A form may be sent from anywhere; another tree's roots are not this one's.
    if found is not None and found.tree_id == tree_id:
        base = base_before(db, found, form.done_on, session)
    if base is None:
        raise BadInput("roots", "the roots were measured anew meanwhile; open the form again")
    return base


def keep_record(
    db: DbSession, studio: Studio, tree: Tree, session: RootSession, worked_out: WorkedOut
) -> None:
    """Write what was worked out into a session's row and its tables, and plan its aftercare."""
    form, details, estimate = worked_out.form, worked_out.details, worked_out.estimate
    for name in ENTERED:
        setattr(session, name, getattr(form, name))
    # What a slice leaves follows from it, where it was not measured.
    if session.ball_depth_after is None and session.ball_depth_before is not None:
        session.ball_depth_after = session.ball_depth_before - session.slice_mm
    # A hundredth of a percent is finer than anything it rests on.
    session.share_computed, session.budget = round(estimate.share, 4), round(estimate.budget, 4)
    session.share_uncorrected = round(estimate.uncorrected, 4)
    session.bearing = round(estimate.bearing, 4)
    session.share_plus_minus = round(estimate.plus_minus, 4)
    session.share_weighed = None
    if form.offcuts_g is not None and form.ball_g is not None:
        session.share_weighed = round(weighed_share(form.offcuts_g, form.ball_g), 4)
    for name in ("practice", "exposed_minutes", "notes", "planned", "unfinished"):
        setattr(session, name, getattr(details, name))
    # Plans made before this moment are out of date now.
    session.created_at = tree.updated_at = studio.now
    db.flush()
    _end_foreign_soil(db, tree, session)
    db.add_all(_cuts(db, tree, session, worked_out))
    db.add_all(_findings(db, tree, session, worked_out))
    settle_tree(db, studio, tree.id)
    db.flush()
    plan_care(db, session, tree, studio.today)


def _end_foreign_soil(db: DbSession, tree: Tree, session: RootSession) -> None:
    """A session that clears the old soil away ends the soil a tree came in."""
    practice = session.practice or practice_for(yard_of(db), tree)
    species = species_of_tree(yard_of(db), tree)
    washed = clears_by(practice_of(practice), species, tree.age_class) == "wash"
    if session.kind in SOIL_CHANGED or (bares_roots(session.kind) and washed):
        tree.foreign_soil, tree.keeps_soil = "", False


def _cuts(
    db: DbSession, tree: Tree, session: RootSession, worked_out: WorkedOut
) -> list[CutRecord]:
    """One row for every root that was cut or decided."""
    decisions, measured = worked_out.details.decisions, worked_out.roots
    done = {root.label: root for root in worked_out.form.roots if root.action != "keep"}
    rows = []
    # Cut or only decided: each root once, in the order they were dealt with.
    for label in dict.fromkeys([*done, *decisions]):
        cut, decision, root = done.get(label), decisions.get(label), measured.get(label)
        row = CutRecord(
            session_id=session.id,
            root_id=root_of(db, tree.id, label).id,
            measurement_id=_measurement(worked_out),
            done_action="keep" if cut is None else cut.action,
            done_part=None if cut is None else cut.cost,
            share=worked_out.estimate.by_root.get(label),
            azimuth_deg=None if root is None else round(root.azimuth_deg.value, 1),
        )
        if decision is not None:
            row.decided_action, row.decided_part = decision.action, decision.part
            row.why = decision.why
        rows.append(row)
    return rows


def _findings(
    db: DbSession, tree: Tree, session: RootSession, worked_out: WorkedOut
) -> list[FindingRecord]:
    return [
        FindingRecord(
            session_id=session.id,
            root_id=root_of(db, tree.id, label).id,
            measurement_id=_measurement(worked_out),
            **finding.noted,
        )
        for label, finding in worked_out.details.findings.items()
    ]


def _measurement(worked_out: WorkedOut) -> int | None:
    return None if worked_out.base is None else worked_out.base.measurement.id
