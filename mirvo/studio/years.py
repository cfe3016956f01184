"""A tree over the years: roots that keep their letters, two dates compared, each root's story."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

from sqlalchemy import select

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.measure.identity import Change, Match, RootTrace, change, match_roots
from mirvo.core.measure.uncertainty import Figure
from mirvo.records.database import reading, writing
from mirvo.records.models import MEASURED_FROM_ABOVE, Measurement, Photo, Session, Tree
from mirvo.records.photos import colour_of, jpeg_of
from mirvo.studio.context import Studio
from mirvo.studio.desk import evaluate
from mirvo.studio.histories import sessions_of
from mirvo.studio.marked import corners_for, info_of, read_draft
from mirvo.studio.photo_sets import rows_of_set, settle_set
from mirvo.studio.trees import load_tree

PLAN_SIDE_PX = 720


@dataclass(frozen=True)
class FigureRow:
    """One figure of the tree at both dates."""

    name: str
    unit: str
    digits: int
    change: Change


@dataclass(frozen=True)
class RootRow:
    """One root at both dates; None where it was not there."""

    label: str
    width: Change | None
    azimuth: Change | None
    state: str


@dataclass(frozen=True)
class Comparison:
    """Two dates of one tree. `match` says which root is which, confirmed or proposed."""

    before: Measurement
    after: Measurement
    match: Match
    confirmed: bool
    figures: list[FigureRow]
    roots: list[RootRow]


@dataclass(frozen=True)
class RootStory:
    """One letter over all dates: (date, width, azimuth in the tree's frame), and its end."""

    label: str
    seen: list[tuple[date, Figure | None, float]]
    end: str


@dataclass(frozen=True)
class Years:
    """The Years page. `measurements` run oldest first; `waiting` are not confirmed yet."""

    tree: Tree
    measurements: list[Measurement]
    comparison: Comparison | None
    stories: list[RootStory]
    waiting: list[Measurement]


def years_of(
    studio: Studio, tree_id: int, before: int | None = None, after: int | None = None
) -> Years:
    """Everything measured of a tree, and two dates compared: the last two unless chosen.

    Raises
    ------
    NotFound : there is no such tree, or no such measurement of it.
    """
    with reading(studio.engine) as unit:
        tree = load_tree(unit, tree_id)
        rows = list(
            unit.scalars(
                select(Measurement)
                .where(Measurement.tree_id == tree_id, MEASURED_FROM_ABOVE)
                .order_by(Measurement.measured_on, Measurement.id)
            )
        )
        sessions = list(sessions_of(unit, tree_id))
    comparison = None
    if len(rows) > 1:
        late = _chosen(rows, after, rows[-1])
        early = _chosen(rows, before, _one_before(rows, late))
        comparison = compare(*sorted((early, late), key=rows.index))
    waiting = [row for row in rows[1:] if row.confirmed_at is None]
    return Years(tree, rows, comparison, list(_stories(rows, sessions)), waiting)


def compare(before: Measurement, after: Measurement) -> Comparison:
    """Two measurements of one tree, in the order given."""
    old, new = before.figures or {}, after.figures or {}
    confirmed = after.confirmed_at is not None
    turn = after.turn_deg - before.turn_deg
    match = _by_letter(old, new, turn) if confirmed else match_roots(_traces(old), _traces(new))
    return Comparison(
        before, after, match, confirmed, list(_figure_rows(old, new)), _root_rows(old, new, match)
    )


def confirm(studio: Studio, tree_id: int, measurement_id: int, letters: dict[str, str]) -> None:
    """Keep which root of a measurement bears which letter, and how its photo was turned.

    Parameters
    ----------
    letters : for each label of the measurement the letter it bears, or "" for a new root.

    Raises
    ------
    BadInput : two roots would bear one letter, or a root is left out.
    """
    years = years_of(studio, tree_id, after=measurement_id)
    found = next((row for row in years.measurements if row.id == measurement_id), None)
    if found is None or found is years.measurements[0]:
        raise NotFound("measurement", "there is no earlier measurement to compare this one with")
    before = years.measurements[years.measurements.index(found) - 1]
    labels = [root["label"] for root in (found.figures or {})["roots"]]
    names = _new_names(labels, letters, _letters_ever(years.measurements, found))
    match = match_roots(_traces(before.figures or {}), _traces(found.figures or {}))
    kept = [(old, new) for new, old in letters.items() if old]
    turn = before.turn_deg + (_turn_from(before, found, kept) if kept else match.turn_deg)
    with writing(studio.engine) as unit:
        row = unit.get(Measurement, measurement_id)
        photo = unit.get(Photo, found.photo_id)
        if row is None or photo is None or row.revision != found.revision:
            raise BadInput("letters", "the marks were changed meanwhile; look again")
        for one in rows_of_set(unit, row):
            roots = [_renamed(root, names) for root in one.marks["roots"]]
            one.marks = {**one.marks, "roots": roots}
            one.revision, one.updated_at = one.revision + 1, studio.now
        if not row.marks.get("set"):
            row.figures, _, _ = evaluate(studio, photo, row.marks)
        row.turn_deg, row.confirmed_at = turn, studio.now
        for session in unit.scalars(select(Session).where(Session.tree_id == tree_id)):
            session.roots = [_followed(root, measurement_id, names) for root in session.roots]
    settle_set(studio, photo)


def plan_photo(studio: Studio, measurement_id: int, turn_deg: float, reach_mm: float) -> bytes:
    """JPEG of a measured photo laid flat in the plan. Raises NotFound, BadInput."""
    from mirvo.core.vision.plan_picture import plan_picture  # heavy: looks at the photo

    with reading(studio.engine) as unit:
        row = unit.get(Measurement, measurement_id)
        photo = None if row is None else unit.get(Photo, row.photo_id)
    if row is None or photo is None or row.figures is None:
        raise NotFound("measurement", "there is no such measurement")
    marks = read_draft(studio, photo, row.marks)
    corners = corners_for(studio.photos, photo, marks.calibration.kind)
    picture = colour_of(studio.photos.read(photo.digest))
    flat = plan_picture(marks, info_of(photo), picture, turn_deg, reach_mm, PLAN_SIDE_PX, corners)
    return jpeg_of(flat)


def _chosen(rows: list[Measurement], wanted: int | None, usual: Measurement) -> Measurement:
    if wanted is None:
        return usual
    found = next((row for row in rows if row.id == wanted), None)
    if found is None:
        raise NotFound("measurement", "this tree has no such measurement")
    return found


def _one_before(rows: list[Measurement], row: Measurement) -> Measurement:
    index = rows.index(row)
    return rows[index - 1] if index else rows[1]


def _figure(told: dict[str, float]) -> Figure:
    return Figure(told["value"], told["plus_minus"])


def _traces(figures: dict[str, Any]) -> list[RootTrace]:
    return [
        RootTrace(
            root["label"],
            root["azimuth_deg"]["value"],
            root["base_width_mm"]["value"] if root["base_width_mm"] else None,
            root["reach_mm"]["value"],
        )
        for root in figures.get("roots", [])
    ]


def _by_letter(old: dict[str, Any], new: dict[str, Any], turn: float) -> Match:
    before, after = ([root["label"] for root in side["roots"]] for side in (old, new))
    both = [label for label in before if label in after]
    gone = [label for label in before if label not in after]
    fresh = [label for label in after if label not in before]
    return Match(turn, [(label, label) for label in both], gone, fresh)


def _figure_rows(old: dict[str, Any], new: dict[str, Any]) -> Iterator[FigureRow]:
    def row(name: str, unit: str, digits: int, a: Any, b: Any) -> FigureRow:
        return FigureRow(name, unit, digits, change(_figure(a), _figure(b)))

    yield row("Trunk diameter", "mm", 1, old["trunk_diameter_mm"], new["trunk_diameter_mm"])
    for basis in ("flare", "roots"):
        a, b = old["spread"][basis], new["spread"][basis]
        if a is not None and b is not None:
            yield row(f"Spread, {basis}", "mm", 1, a["mean_mm"], b["mean_mm"])
            yield row(f"{basis.capitalize()} spread to trunk", "", 2, a["ratio"], b["ratio"])
    a, b = old["radiality"], new["radiality"]
    yield row("Radiality", "of 100", 0, a["index"], b["index"])
    for part in ("coverage", "evenness", "balance", "heading"):
        yield row(part.capitalize(), "0 to 1", 2, a[part], b[part])
    yield row("Largest gap", "°", 0, a["largest_gap_deg"], b["largest_gap_deg"])


def _root_rows(old: dict[str, Any], new: dict[str, Any], match: Match) -> list[RootRow]:
    before = {root["label"]: root for root in old["roots"]}
    after = {root["label"]: root for root in new["roots"]}
    rows = [
        RootRow(
            label,
            _change_of(before[label], after[now], "base_width_mm"),
            _turned(before[label], after[now], match.turn_deg),
            "kept",
        )
        for label, now in match.pairs
    ]
    rows += [RootRow(label, None, None, "gone") for label in match.gone]
    rows += [RootRow(label, None, None, "new") for label in match.fresh]
    return sorted(rows, key=lambda row: (len(row.label), row.label))


def _change_of(before: dict[str, Any], after: dict[str, Any], name: str) -> Change | None:
    if not before[name] or not after[name]:
        return None
    return change(_figure(before[name]), _figure(after[name]))


def _turned(before: dict[str, Any], after: dict[str, Any], turn: float) -> Change:
    old, new = _figure(before["azimuth_deg"]), _figure(after["azimuth_deg"])
    away = (new.value + turn - old.value + 180.0) % 360.0 - 180.0
    return change(old, Figure(old.value + away, new.plus_minus))


def _turn_from(before: Measurement, after: Measurement, kept: list[tuple[str, str]]) -> float:
    """Rotation that brings roots the artist paired onto each other, median, degrees."""
    old = {root.label: root for root in _traces(before.figures or {})}
    new = {root.label: root for root in _traces(after.figures or {})}
    pairs = [(old[a], new[b]) for a, b in kept if a in old and b in new]
    if not pairs:
        return 0.0
    first = pairs[0][0].azimuth_deg - pairs[0][1].azimuth_deg
    about = sorted(
        (a.azimuth_deg - b.azimuth_deg - first + 180.0) % 360.0 - 180.0 for a, b in pairs
    )
    return (first + about[len(about) // 2] + 180.0) % 360.0 - 180.0


def _letters_ever(rows: list[Measurement], but: Measurement) -> set[str]:
    return {
        root["label"] for row in rows if row is not but for root in (row.figures or {})["roots"]
    }


def _new_names(labels: list[str], letters: dict[str, str], ever: set[str]) -> dict[str, str]:
    """The letter of every root: its own of old, or the next never used by this tree."""
    given = [letter for letter in letters.values() if letter]
    for letter in given:
        if given.count(letter) > 1:
            raise BadInput("letters", f"two roots would bear the letter {letter}")
        if letter not in ever:
            raise BadInput("letters", f"no root of this tree ever bore the letter {letter}")
    missing = [label for label in labels if label not in letters]
    if missing:
        raise BadInput("letters", f"say which root {missing[0]} is")
    used = ever | set(given)
    names: dict[str, str] = {}
    for label in labels:
        names[label] = letters[label] or _next_letter(used)
        used.add(names[label])
    return names


def _next_letter(used: set[str]) -> str:
    number = 0
    while True:
        letter = chr(65 + number % 26) + (str(number // 26) if number > 25 else "")
        if letter not in used:
            return letter
        number += 1


def _renamed(root: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    return {**root, "label": names.get(root["label"], root["label"])}


def _followed(root: dict[str, Any], measurement_id: int, names: dict[str, str]) -> dict[str, Any]:
    """What a session did to a root, under the letter that root bears now."""
    if root.get("measurement_id") != measurement_id:
        return root
    return {**root, "label": names.get(root["label"], root["label"])}


def _stories(rows: list[Measurement], sessions: list[Session]) -> Iterator[RootStory]:
    """Every letter's story, over the first measurement and those confirmed since."""
    known = [row for i, row in enumerate(rows) if i == 0 or row.confirmed_at is not None]
    labels = sorted(_letters_ever(known, Measurement()), key=lambda one: (len(one), one))
    for label in labels:
        seen = [
            (
                row.measured_on,
                _figure(root["base_width_mm"]) if root["base_width_mm"] else None,
                (root["azimuth_deg"]["value"] + row.turn_deg) % 360.0,
            )
            for row in known
            for root in (row.figures or {})["roots"]
            if root["label"] == label
        ]
        yield RootStory(label, seen, _end_of(label, seen[-1][0], known, sessions))


def _end_of(label: str, last: date, known: list[Measurement], sessions: list[Session]) -> str:
    """What became of a root after it was last measured."""
    for session in sorted(sessions, key=lambda one: one.done_on):
        for root in session.roots:
            if root.get("label") == label and session.done_on >= last:
                done = str(root.get("action", ""))
                if done == "remove":
                    return f"cut {session.done_on.year}"
    if last < known[-1].measured_on:
        return "not seen again"
    return ""
