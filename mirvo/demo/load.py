"""Loads the made-up yard: photos of made-up bases, measured as a user's would be.

The photos ship beside this module with their truth; they were made with the path-traced camera
(tools/demo_photos.py).
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import numpy as np
from sqlalchemy import select

from mirvo.core.almanac import species_by_key
from mirvo.core.letters import next_letter
from mirvo.core.limits.care import AnswerFields
from mirvo.core.limits.sessions import RootDone, SessionFields
from mirvo.core.limits.targets import TargetFields
from mirvo.demo.history import (
    PHOTOS,
    TURNS_DEG,
    History,
    Shot,
    history_of,
    photo_name,
    side_name,
)
from mirvo.demo.scenario import (
    DemoKept,
    DemoSeasons,
    DemoSession,
    DemoSoil,
    DemoTree,
    read_scenario,
)
from mirvo.records.models import CareTask, RootSession
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import save_yard
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.years import confirm
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import set_target
from mirvo.studio.photos.intake import put_photo
from mirvo.studio.photos.shots import TakenPhoto
from mirvo.studio.photos.simulated import keep_shot
from mirvo.studio.records.aftercare import KeptFields, keep_for_a_while
from mirvo.studio.records.answers import put_answer
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.shelf.pots import add_pot
from mirvo.studio.shelf.soil import PART, begin_with_usual, components, keep_recipe
from mirvo.studio.shelf.supplies import set_supply
from mirvo.studio.standing.pot_of_tree import stand_in
from mirvo.studio.standing.seasons import OpenedFields, PlantFields, note_opened, note_plant
from mirvo.studio.standing.tree_list import tree_names
from mirvo.studio.standing.tree_queries import load_tree, measured_base, measurements_of
from mirvo.studio.yard.trees import add_tree

CLICK_SD_PX = 1.5
DONE_AFTER_DAYS = 21
TRIED_BELOW, TRIED_RIM = 0.12, 0.35


def load_demo(folder: Path) -> bool:
    """Make the demo yard in a folder; False when it is there already.

    It is made beside the folder and moved there whole, so that a start broken off
    leaves nothing half done.
    """
    if folder.exists() and any(folder.iterdir()):
        return False
    making = folder.with_name(f"{folder.name}.making")
    shutil.rmtree(making, ignore_errors=True)
    studio = Studio(making)
    fill_yard(studio)
    studio.close()
    making.rename(folder)
    return True


def fill_yard(studio: Studio) -> None:
    """Live through the years of the whole yard."""
    scenario = read_scenario()
    save_yard(studio, scenario.yard)
    recipes = _mixes(studio, scenario.soil)
    pots = {pot.stands_in: add_pot(studio, pot.form).id for pot in scenario.pots}
    for index, entry in enumerate(scenario.trees):
        recipe = recipes[scenario.soil.of_group[species_by_key(entry.species_key).group]]
        _grow_up(studio, entry, history_of(index, entry), pots.get(entry.name), recipe)
    with studio.writing() as db:
        for one in components(db):
            one.stock_l = scenario.soil.stock_l.get(one.name)
    for supply in scenario.supplies:
        set_supply(studio, supply)
    _seasons(studio, scenario.seasons)
    _kept(studio, scenario.kept)
    _tick_what_passed(studio)


def _tick_what_passed(studio: Studio) -> None:
    """The yard was looked after in all those years: what lies well back is done."""
    before = studio.today - timedelta(days=DONE_AFTER_DAYS)
    with studio.writing() as db:
        query = select(CareTask).where(CareTask.session_id.is_not(None), CareTask.due < before)
        for task in db.scalars(query):
            # A layer whose packing fills is still on the tree.
            if task.code != "layer-separate":
                task.done_at = datetime.combine(task.due, time(9))


def _seasons(studio: Studio, seen: DemoSeasons) -> None:
    for key, days in seen.opened.items():
        for day in days:
            note_opened(studio, key, OpenedFields(opened_on=day))
    for plant, days in seen.plants.items():
        for day in days:
            note_plant(studio, PlantFields(plant=plant, plant_on=day))


def _kept(studio: Studio, kept: tuple[DemoKept, ...]) -> None:
    with studio.reading() as db:
        numbers = {name: number for number, name, _ in tree_names(db)}
    for one in kept:
        form = KeptFields(
            kept_what=one.what, kept_where=one.where, kept_since=one.since, look_on=one.look_on
        )
        keep_for_a_while(studio, numbers[one.tree], form)


def _mixes(studio: Studio, soil: DemoSoil) -> dict[str, int]:
    """What soil is mixed of, and the number of each recipe by its name."""
    begin_with_usual(studio)
    with studio.reading() as db:
        numbers = {one.name: one.id for one in components(db)}
    made = {}
    for name, parts in soil.recipes.items():
        said = {f"{PART}{numbers[of]}": f"{share:g}" for of, share in parts.items()}
        made[name] = keep_recipe(studio, name, said).id
    return made


def _grow_up(
    studio: Studio, entry: DemoTree, history: History, pot_id: int | None, recipe_id: int
) -> None:
    """One tree's years in order: photos, measurements, sessions, target."""
    tree = add_tree(studio, entry.form)
    letters: dict[str, str] = {}
    events: list[tuple[date, int, Shot | DemoSession | None]] = []
    events += [(shot.taken_on, 0, shot) for shot in history.shots]
    events += [(session.done_on, 1, session) for session in entry.sessions]
    if entry.planned_on is not None:
        events.append((entry.planned_on, 2, None))
    # Photo before session before plan on one day, as it is done.
    for day, _, event in sorted(events, key=lambda dated: dated[:2]):
        if isinstance(event, Shot):
            _measure(studio, tree.id, entry, event, letters)
        elif event is None and entry.target is not None:
            _plan_as_of(studio, tree.id, entry.target, day)
        elif isinstance(event, DemoSession):
            labels = [letters[key] for key in history.removed[day] if key in letters]
            form = _session(studio, tree.id, event, labels)
            last = event is entry.sessions[-1]
            form = form.model_copy(update={"recipe_id": recipe_id if last else None})
            done = record_session(studio, tree.id, form)
            _seen_after(studio, entry, done, event, history)
    if entry.layered_on is not None:
        layer = SessionFields(
            kind="layer",
            done_on=entry.layered_on,
            container_after=entry.sessions[-1].container,
            found="Air layer on the lowest branch, packed in moist moss.",
        )
        with _as_of(studio, entry.layered_on) as then:
            record_session(then, tree.id, layer)
    if pot_id is not None and entry.sessions:
        with studio.writing() as db:
            stand_in(db, load_tree(db, tree.id), pot_id, entry.sessions[-1].done_on)
    _confirm_letters(studio, tree.id, waiting=entry.letters_waiting)
    if entry.turntable is not None:
        _from_the_side(studio, tree.id, entry, entry.turntable)
    if entry.target is not None:
        set_target(studio, tree.id, entry.target)
        plan_path(studio, tree.id)


def _seen_after(
    studio: Studio, entry: DemoTree, done: RootSession, event: DemoSession, history: History
) -> None:
    """The photos after a session, and how the tree answered it."""
    for shot in history.seen_after:
        if shot.of_session == event.done_on:
            name = f"{photo_name(entry, shot.taken_on, shot.kind)}.jpg"
            facts = studio.photos.keep((PHOTOS / name).read_bytes(), name)
            with studio.writing() as db:
                put_photo(db, studio, done.tree_id, name, facts, shot.taken_on, shot.kind, done.id)
    if event.answer is None:
        return
    seen = event.answer
    days = seen.shoots_days
    shoots_on = None if days is None else event.done_on + timedelta(days=days)
    form = AnswerFields(
        leaf_lost_percent=seen.leaf_lost,
        shoots_on=shoots_on,
        dieback=seen.dieback,
        weak=seen.weak,
    )
    with _as_of(studio, event.done_on + timedelta(days=seen.days)) as then:
        put_answer(then, done.id, form)


def _shipped(entry: DemoTree, day: date, what: str = "top") -> TakenPhoto:
    """A photo as it ships, with its truth."""
    name = photo_name(entry, day, what)
    known = json.loads((PHOTOS / f"{name}.json").read_text("utf-8"))
    return TakenPhoto(f"{name}.jpg", (PHOTOS / f"{name}.jpg").read_bytes(), known)


@contextmanager
def _as_of(studio: Studio, day: date) -> Iterator[Studio]:
    """The same studio on an earlier day."""
    then = Studio(studio.folder, lambda: datetime(day.year, day.month, day.day, 18, tzinfo=UTC))
    try:
        yield then
    finally:
        then.close()


def _plan_as_of(studio: Studio, tree_id: int, target: TargetFields, day: date) -> None:
    """The plan as it was made then, so that later sessions stand against it."""
    with _as_of(studio, day) as then:
        set_target(then, tree_id, target)
        plan_path(then, tree_id)


def _measure(
    studio: Studio, tree_id: int, entry: DemoTree, shot: Shot, letters: dict[str, str]
) -> None:
    taken = _shipped(entry, shot.taken_on)
    photo = keep_shot(studio, tree_id, taken, shot.taken_on)
    for root in sorted(shot.base.roots, key=lambda root: root.azimuth_deg):
        # Letters in the order of the clock at first sight, and for life.
        letters.setdefault(root.key, next_letter(letters.values()))
    noted = entry.root_notes if shot.taken_on == max(entry.photos) else {}
    roots = []
    for root in taken.known["marks"]["roots"]:
        label = letters[root["label"]]
        found = noted[label].model_dump(mode="json", exclude_none=True) if label in noted else {}
        roots.append({**root, "label": label, **found})
    marks = {**taken.known["marks"], "roots": sorted(roots, key=lambda root: root["label"])}
    save_marks(studio, photo.id, _by_hand(marks, np.random.default_rng(shot.seed)), 0)


def _from_the_side(studio: Studio, tree_id: int, entry: DemoTree, day: date) -> None:
    """Side views from all round, marked by a hand."""
    for turn in TURNS_DEG:
        taken = _shipped(entry, day, side_name(turn))
        photo = keep_shot(studio, tree_id, replace(taken, kind="side"), day)
        marks = _by_hand(taken.known["marks"], np.random.default_rng(photo.id))
        marks["turntable_deg"] = turn
        if turn == 0:
            (ax, ay), (bx, by) = marks["soil_line"]
            width, middle, soil = bx - ax, (ax + bx) / 2, (ay + by) / 2
            tries = (
                ("soil line", soil + TRIED_BELOW * width),
                ("pot rim", soil - TRIED_RIM * width),
            )
            marks["tried"] = [{"line": line, "point": [middle, y]} for line, y in tries]
        save_marks(studio, photo.id, marks, 0)


def _confirm_letters(studio: Studio, tree_id: int, waiting: bool) -> None:
    """Every root keeps its letter over the years; the last date's may wait for the artist."""
    with studio.reading() as db:
        later = measurements_of(db, tree_id)[1:]
    # One tree waits, so that the page of years has something to show.
    for row in later[:-1] if waiting else later:
        confirm(studio, tree_id, row.id, {label: label for label in row.top_marks.labels})


def _by_hand(value: Any, rng: np.random.Generator) -> Any:
    """The same marks with the small errors of a hand."""
    if isinstance(value, dict):
        return {key: _by_hand(part, rng) for key, part in value.items()}
    if isinstance(value, list):
        if len(value) == 2 and all(isinstance(part, float) for part in value):
            # Pairs of decimals are points; other numbers are left alone.
            return [round(part + float(rng.normal(0, CLICK_SD_PX)), 1) for part in value]
        return [_by_hand(part, rng) for part in value]
    return value


def _session(studio: Studio, tree_id: int, entry: DemoSession, removed: list[str]) -> SessionFields:
    before, after = entry.ball
    pot, length, depth = entry.pot
    with studio.reading() as db:
        base = measured_base(db, tree_id, entry.done_on)
    known = {root.label for root in base.roots} if base else set()
    return SessionFields(
        kind=entry.kind,
        done_on=entry.done_on,
        bud_stage=entry.bud,
        ball_length_before=length - 40,
        ball_width_before=length * 0.6,
        ball_depth_before=before,
        ball_length_after=length - 40,
        ball_width_after=length * 0.6,
        ball_depth_after=after,
        woody_depth_mm=entry.woody,
        slice_mm=entry.slice,
        matted=entry.matted,
        pot_after=pot,
        pot_length_mm=length,
        pot_depth_mm=depth,
        container_after=entry.container,
        soil="fired clay, pumice and bark, 2 : 1 : 1",
        found=entry.found,
        next_time=entry.next_time,
        measurement_id=base.measurement.id if base else None,
        roots=tuple(RootDone(label=label, action="remove") for label in removed if label in known),
    )
