"""A tree over the years: roots that keep their letters, two dates compared, each root's story."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date

from mirvo.core.angles import signed_turn
from mirvo.core.errors import BadInput, NotFound
from mirvo.core.letters import letter_order, next_letter
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.identity import Change, Match, change, match_roots, traces_of
from mirvo.core.measure.records import RADIALITY_PARTS, RootRecord, TopRecord
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo, Tree
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.desk import evaluate
from mirvo.studio.measuring.photo_sets import rows_of_set, settle_set
from mirvo.studio.measuring.roots_of_tree import rename_letters
from mirvo.studio.measuring.same_tree import set_aside
from mirvo.studio.standing.tree_queries import (
    all_measurements_of,
    cuts_of,
    load_tree,
    measurements_of,
    sessions_of,
)


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
    old: TopRecord
    new: TopRecord
    match: Match
    confirmed: bool
    figures: list[FigureRow]
    roots: list[RootRow]

    @property
    def old_letters(self) -> dict[str, str]:
        """The letter of old by the letter on the newer photo."""
        return {new: old for old, new in self.match.pairs}


@dataclass(frozen=True)
class Sighting:
    """A root on one date: its base width, and its azimuth in the tree's own frame."""

    day: date
    width: Figure | None
    azimuth_deg: float


@dataclass(frozen=True)
class RootStory:
    """One letter over all dates, and its end."""

    label: str
    seen: list[Sighting]
    end: str


@dataclass(frozen=True)
class Years:
    """The Years page. `measurements` run oldest first; `waiting` are not confirmed yet, those
    `set_aside` show another tree."""

    tree: Tree
    measurements: list[Measurement]
    comparison: Comparison | None
    stories: list[RootStory]
    waiting: list[Measurement]
    set_aside: list[Measurement]

    @property
    def letters(self) -> list[str]:
        """Every letter a root of the tree has borne, in order."""
        labels = {label for row in self.measurements if row.top for label in row.top.labels}
        return sorted(labels, key=letter_order)


def years_of(
    db: DbSession, tree_id: int, before: int | None = None, after: int | None = None
) -> Years:
    """Everything measured of a tree, and two dates compared: the last two unless chosen.

    Raises
    ------
    NotFound : there is no such tree, or no such measurement of it.
    """
    tree = load_tree(db, tree_id)
    # One in doubt is compared too: seeing both is how the artist tells.
    rows = [row for row in all_measurements_of(db, tree_id) if row.same_tree is not False]
    comparison = None
    if len(rows) > 1:
        late = _chosen(rows, after, rows[-1])
        # The two last unless others are asked for.
        early = _chosen(rows, before, _one_before(rows, late))
        comparison = compare(*sorted((early, late), key=rows.index))
    counted = [row for row in rows if row.counts]
    waiting = [row for row in counted[1:] if row.confirmed_at is None]
    stories = list(_stories(db, tree_id, counted))
    return Years(tree, rows, comparison, stories, waiting, set_aside(db, tree_id))


def compare(before: Measurement, after: Measurement) -> Comparison:
    """Two measurements of one tree, in the order given."""
    old, new = _record(before), _record(after)
    confirmed = after.confirmed_at is not None
    # Both are turned into the tree's own frame; their difference is what lies between them.
    turn = after.turn_deg - before.turn_deg
    match = _by_letter(old, new, turn) if confirmed else match_roots(traces_of(old), traces_of(new))
    figures, roots = list(_figure_rows(old, new)), _root_rows(old, new, match)
    return Comparison(before, after, old, new, match, confirmed, figures, roots)


def confirm(studio: Studio, tree_id: int, measurement_id: int, letters: dict[str, str]) -> None:
    """Keep which root of a measurement bears which letter, and how its photo was turned.

    Marks, figures and all that was said of these roots change in one transaction.

    Parameters
    ----------
    letters : for each label of the measurement the letter it bears, or "" for a new root.

    Raises
    ------
    BadInput : two roots would bear one letter, or a root is left out.
    """
    with studio.writing() as db:
        rows = measurements_of(db, tree_id)
        found = next((row for row in rows if row.id == measurement_id), None)
        # The first measurement gave the letters; there is nothing to confirm.
        if found is None or found is rows[0]:
            raise NotFound(
                "measurement", "there is no earlier measurement to compare this one with"
            )
        before = rows[rows.index(found) - 1]
        old, new = _record(before), _record(found)
        # Checked whole before anything is written.
        names = _new_names(new.labels, letters, _letters_ever(rows, found))
        pairs = [(mine, label) for label, mine in letters.items() if mine]
        # The artist's pairs beat what the computer matched.
        turn = _turn_from(old, new, pairs) if pairs else _matched_turn(old, new)
        relabel(db, studio, found, names)
        found.turn_deg, found.confirmed_at = before.turn_deg + turn, studio.now
        db.flush()
        rename_letters(db, tree_id, measurement_id, names)
        settle_tree(db, studio, tree_id)


def say_same_tree(studio: Studio, tree_id: int, measurement_id: int, same: bool) -> None:
    """Answer for a measurement; one that shows another tree teaches nothing. Raises NotFound."""
    with studio.writing() as db:
        rows = all_measurements_of(db, tree_id)
        found = next((row for row in rows if row.id == measurement_id), None)
        if found is None:
            raise NotFound("measurement", "this tree has no such measurement")
        found.same_tree, found.updated_at = same, studio.now
        settle_tree(db, studio, tree_id)


def relabel(db: DbSession, studio: Studio, lead: Measurement, names: dict[str, str]) -> None:
    """New letters in the marks of a measurement and of its set, and the figures made anew."""
    photo = db.get_one(Photo, lead.photo_id)
    for row in rows_of_set(db, lead):
        row.marks = row.top_marks.relabelled(names)
        # A desk open elsewhere must learn that its marks changed.
        row.revision, row.updated_at = row.revision + 1, studio.now
    db.flush()
    if lead.top_marks.set:
        settle_set(db, studio, photo.tree_id, photo.taken_on)
    else:
        lead.top = evaluate(db, studio, photo, lead.marks).top


def _record(row: Measurement) -> TopRecord:
    if row.top is None:
        raise NotFound("measurement", "this measurement gave no figures")
    return row.top


def _chosen(rows: list[Measurement], wanted: int | None, usual: Measurement) -> Measurement:
    if wanted is None:
        return usual
    found = next((row for row in rows if row.id == wanted), None)
    if found is None:
        raise NotFound("measurement", "this tree has no such measurement")
    return found


def _one_before(rows: list[Measurement], row: Measurement) -> Measurement:
    index = rows.index(row)
    # The oldest has none before it and is compared with the next.
    return rows[index - 1] if index else rows[1]


def _by_letter(old: TopRecord, new: TopRecord, turn: float) -> Match:
    both = [label for label in old.labels if label in new.labels]
    gone = [label for label in old.labels if label not in new.labels]
    fresh = [label for label in new.labels if label not in old.labels]
    return Match(turn, [(label, label) for label in both], gone, fresh)


def _figure_rows(old: TopRecord, new: TopRecord) -> Iterator[FigureRow]:
    def row(name: str, unit: str, digits: int, a: Figure, b: Figure) -> FigureRow:
        return FigureRow(name, unit, digits, change(a, b))

    yield row("Trunk diameter", "mm", 1, old.trunk_diameter_mm, new.trunk_diameter_mm)
    for basis in ("flare", "roots"):
        a, b = old.spread.on(basis), new.spread.on(basis)
        if a is not None and b is not None:
            yield row(f"Spread, {basis}", "mm", 1, a.mean_mm, b.mean_mm)
            yield row(f"{basis.capitalize()} spread to trunk", "", 2, a.ratio, b.ratio)
    yield row("Radiality", "of 100", 0, old.radiality.index, new.radiality.index)
    for part in RADIALITY_PARTS:
        parts = old.radiality.part(part), new.radiality.part(part)
        yield row(part.capitalize(), "0 to 1", 2, *parts)
    gaps = old.radiality.largest_gap_deg, new.radiality.largest_gap_deg
    yield row("Largest gap", "°", 0, *gaps)


def _root_rows(old: TopRecord, new: TopRecord, match: Match) -> list[RootRow]:
    before = {root.label: root for root in old.roots}
    after = {root.label: root for root in new.roots}
    rows = [
        RootRow(
            label,
            _width_change(before[label], after[now]),
            _azimuth_change(before[label], after[now], match.turn_deg),
            "kept",
        )
        for label, now in match.pairs
    ]
    rows += [RootRow(label, None, None, "gone") for label in match.gone]
    rows += [RootRow(label, None, None, "new") for label in match.fresh]
    return sorted(rows, key=lambda row: letter_order(row.label))


def _width_change(before: RootRecord, after: RootRecord) -> Change | None:
    if before.base_width_mm is None or after.base_width_mm is None:
        return None
    return change(before.base_width_mm, after.base_width_mm)


def _azimuth_change(before: RootRecord, after: RootRecord, turn: float) -> Change:
    old, new = before.azimuth_deg, after.azimuth_deg
    # The short way round: from 359° to 1° it turned by two.
    moved = signed_turn(new.value + turn - old.value)
    return change(old, Figure(old.value + moved, new.plus_minus))


def _turn_from(before: TopRecord, after: TopRecord, paired: list[tuple[str, str]]) -> float:
    """Rotation that brings roots the artist paired onto each other, median, degrees."""
    old = {root.label: root.azimuth_deg.value for root in before.roots}
    new = {root.label: root.azimuth_deg.value for root in after.roots}
    turns = [old[a] - new[b] for a, b in paired if a in old and b in new]
    if not turns:
        return 0.0
    # Counted from one of them, so that turns on both sides of a half circle lie together.
    about = sorted(signed_turn(turn - turns[0]) for turn in turns)
    return signed_turn(turns[0] + about[len(about) // 2])


def _matched_turn(before: TopRecord, after: TopRecord) -> float:
    return match_roots(traces_of(before), traces_of(after)).turn_deg


def _letters_ever(rows: tuple[Measurement, ...], but: Measurement) -> set[str]:
    """Every letter a root of the tree bore on its other measurements."""
    return {label for row in rows if row is not but and row.top for label in row.top.labels}


def _new_names(labels: list[str], letters: dict[str, str], ever: set[str]) -> dict[str, str]:
    """The letter of every root: its own of old, or the next never used by this tree."""
    given = [letter for letter in letters.values() if letter]
    for letter in given:
        if given.count(letter) > 1:
            raise BadInput("letters", f"two roots would bear the letter {letter}")
        # A letter out of the air would join two roots that were never one.
        if letter not in ever:
            raise BadInput("letters", f"no root of this tree ever bore the letter {letter}")
    missing = [label for label in labels if label not in letters]
    if missing:
        raise BadInput("letters", f"say which root {missing[0]} is")
    used = ever | set(given)
    names: dict[str, str] = {}
    for label in labels:
        names[label] = letters[label] or next_letter(used)
        used.add(names[label])
    return names


def _stories(db: DbSession, tree_id: int, rows: list[Measurement]) -> Iterator[RootStory]:
    """Every letter's story, over the first measurement and those confirmed since."""
    # Letters not confirmed yet may be anybody's; they would tell false stories.
    known = [row for i, row in enumerate(rows) if i == 0 or row.confirmed_at is not None]
    records = [(row, row.top) for row in known if row.top is not None]
    labels = {label for _, record in records for label in record.labels}
    for label in sorted(labels, key=letter_order):
        seen = [
            Sighting(
                row.measured_on,
                root.base_width_mm,
                (root.azimuth_deg.value + row.turn_deg) % 360.0,
            )
            for row, record in records
            if (root := record.root(label)) is not None
        ]
        last = seen[-1].day
        yield RootStory(label, seen, _end_of(db, tree_id, label, last, known[-1].measured_on))


def _end_of(db: DbSession, tree_id: int, label: str, last: date, newest: date) -> str:
    """What became of a root after it was last measured."""
    cuts = cuts_of(db, tree_id)
    for session in reversed(sessions_of(db, tree_id)):
        for done in cuts.get(session.id, ()):
            removed = done.label == label and done.cut.done_action == "remove"
            if removed and session.done_on >= last:
                return f"cut {session.done_on.year}"
    return "not seen again" if last < newest else ""
