"""Loads the made-up yard: photos of made-up bases, measured as a user's would be.

The photos from above ship beside this module with their truth; they were made with the path-traced
camera (tools/demo_photos.py). Side views are taken by the simulated turntable as the yard is made.
"""

from __future__ import annotations

import json
import shutil
from dataclasses import dataclass, field
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

import numpy as np

from mirvo.core.letters import next_letter
from mirvo.demo.scenario import DemoSession, DemoTree, read_scenario
from mirvo.standins.base import Base, grown, random_base, without
from mirvo.studio.context import Studio
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.measuring.root_plane import views_of_day
from mirvo.studio.measuring.turntable import shoot_turntable
from mirvo.studio.measuring.vision_worker import outcome
from mirvo.studio.measuring.years import confirm
from mirvo.studio.path.path import plan_path
from mirvo.studio.path.target import TargetForm, set_target
from mirvo.studio.photos.shots import TakenPhoto
from mirvo.studio.photos.simulated import keep_shot, truth_of
from mirvo.studio.records.root_sessions import record_session
from mirvo.studio.records.session_form import RootDone, SessionForm
from mirvo.studio.tree_queries import measured_base, measurements_of
from mirvo.studio.yard.settings import save_yard
from mirvo.studio.yard.trees import add_tree

PHOTOS = Path(__file__).parent / "photos"
CLICK_SD_PX = 1.5
TRIED_BELOW, TRIED_RIM = 0.12, 0.35


@dataclass
class Shot:
    """One photo: when, of which base, and the seed of all by chance in it."""

    taken_on: date
    base: Base
    seed: int


@dataclass
class History:
    """One tree's photos, and the keys of the roots each session takes off."""

    shots: list[Shot] = field(default_factory=list)
    removed: dict[date, set[str]] = field(default_factory=dict)


def load_demo(folder: Path) -> bool:
    """Make the demo yard in a folder; False when it is there already.

    It is made beside the folder and moved there whole, so that a start broken off
    leaves nothing half done.
    """
    if folder.exists():
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
    for index, entry in enumerate(scenario.trees):
        _grow_up(studio, entry, history_of(index, entry))


def photo_name(entry: DemoTree, day: date) -> str:
    """Name of the photo of a tree on a day, and of its truth, without an ending."""
    return f"{entry.name.lower().replace(' ', '-')}-{day:%Y-%m-%d}"


def history_of(index: int, entry: DemoTree) -> History:
    """The base at each photo: grown by its years, cut by the sessions before."""
    base = without(random_base(entry.seed, entry.trunk_mm), set(entry.drop))
    start = entry.photos[0]
    history, gone = History(), set[str]()
    for session in entry.sessions:
        left = without(base, gone)
        # What a sensible artist would have cut then.
        history.removed[session.done_on] = _worst(left, session.remove_bad)
        gone |= history.removed[session.done_on]
    for number, day in enumerate(entry.photos):
        cut = {key for done, keys in history.removed.items() if done < day for key in keys}
        years = (day - start).days / 365.25
        standing = without(grown(base, years, entry.growth), cut)
        history.shots.append(Shot(day, standing, 100 * index + number))
    return history


def _worst(base: Base, count: int) -> set[str]:
    """Keys of the most strongly bending roots."""
    order = sorted(base.roots, key=lambda root: -abs(root.bend_deg))
    return {root.key for root in order[:count]}


def _grow_up(studio: Studio, entry: DemoTree, history: History) -> None:
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
            record_session(studio, tree.id, _session(studio, tree.id, event, labels))
    _confirm_letters(studio, tree.id, waiting=entry.letters_waiting)
    if entry.turntable:
        _from_the_side(studio, tree.id)
    if entry.target is not None:
        set_target(studio, tree.id, entry.target)
        plan_path(studio, tree.id)


def _plan_as_of(studio: Studio, tree_id: int, target: TargetForm, day: date) -> None:
    """The plan as it was made then, so that later sessions stand against it."""
    then = Studio(studio.folder, lambda: datetime(day.year, day.month, day.day, 18, tzinfo=UTC))
    try:
        set_target(then, tree_id, target)
        plan_path(then, tree_id)
    finally:
        then.close()


def _measure(
    studio: Studio, tree_id: int, entry: DemoTree, shot: Shot, letters: dict[str, str]
) -> None:
    name = photo_name(entry, shot.taken_on)
    content = (PHOTOS / f"{name}.jpg").read_bytes()
    known = json.loads((PHOTOS / f"{name}.json").read_text("utf-8"))
    taken = TakenPhoto(f"{name}.jpg", content, known)
    photo = keep_shot(studio, tree_id, taken, shot.taken_on)
    for root in sorted(shot.base.roots, key=lambda root: root.azimuth_deg):
        # Letters in the order of the clock at first sight, and for life.
        letters.setdefault(root.key, next_letter(letters.values()))
    roots = [{**root, "label": letters[root["label"]]} for root in known["marks"]["roots"]]
    marks = {**known["marks"], "roots": sorted(roots, key=lambda root: root["label"])}
    save_marks(studio, photo.id, _by_hand(marks, np.random.default_rng(shot.seed)), 0)


def _from_the_side(studio: Studio, tree_id: int) -> None:
    """Eight side views of today, marked by a hand."""
    outcome(shoot_turntable(studio, tree_id))
    with studio.reading() as db:
        views = views_of_day(db, tree_id, studio.today)
    for view in views:
        photo, known = view.photo, truth_of(studio, view.photo)
        marks = _by_hand(known["marks"] if known else {}, np.random.default_rng(photo.id))
        marks["turntable_deg"] = view.turntable_deg
        if view.turntable_deg == 0:
            (ax, ay), (bx, by) = marks["soil_line"]
            width, middle, soil = bx - ax, (ax + bx) / 2, (ay + by) / 2
            tries = (
                ("soil line", soil + TRIED_BELOW * width),
                ("pot rim", soil - TRIED_RIM * width),
            )
            marks["tried"] = [{"line": line, "point": [middle, y]} for line, y in tries]
        save_marks(studio, photo.id, marks, 1)


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


def _session(studio: Studio, tree_id: int, entry: DemoSession, removed: list[str]) -> SessionForm:
    before, after = entry.ball
    pot, length, depth = entry.pot
    with studio.reading() as db:
        base = measured_base(db, tree_id, entry.done_on)
    known = {root.label for root in base.roots} if base else set()
    return SessionForm(
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
