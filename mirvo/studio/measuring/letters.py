"""Letters put right later: swapped, joined or parted over dates, shown before it is done."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from mirvo.core.errors import BadInput, NotFound
from mirvo.core.letters import next_letter
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement
from mirvo.studio.ground.context import Studio
from mirvo.studio.measuring.after_cuts import settle_tree
from mirvo.studio.measuring.roots_of_tree import rename_letters
from mirvo.studio.measuring.years import relabel
from mirvo.studio.standing.tree_queries import cuts_of, measurements_of, sessions_of


@dataclass(frozen=True)
class LetterChange:
    """What becomes of the letters of one photo.

    names : new letter by the old one, of those that change. sessions : days of the sessions whose
    cuts and findings follow.
    """

    row: Measurement
    names: dict[str, str]
    sessions: tuple[date, ...]


def letter_changes(
    db: DbSession, tree_id: int, measurement_id: int, letters: Mapping[str, str], onward: bool
) -> list[LetterChange]:
    """What giving roots of a photo other letters changes, photo by photo.

    Parameters
    ----------
    letters : for labels of the measurement the letter each should bear, "" for a root of its own;
    what is left out stays. onward : on all later photos too.

    Raises
    ------
    NotFound : this tree has no such measurement. BadInput : two roots of one photo would bear one
    letter, a letter was never borne, or nothing changes.
    """
    rows = [row for row in measurements_of(db, tree_id) if row.top is not None]
    found = next((row for row in rows if row.id == measurement_id), None)
    if found is None:
        raise NotFound("measurement", "this tree has no such measurement")
    names = _names(_labels(found), letters, {label for row in rows for label in _labels(row)})
    changes = []
    for row in rows[rows.index(found) :] if onward else [found]:
        mine = {old: new for old, new in names.items() if old in _labels(row)}
        if mine:
            _check_apart(row, mine)
            changes.append(LetterChange(row, mine, _sessions(db, tree_id, row, mine)))
    return changes


def put_letters_right(
    studio: Studio, tree_id: int, measurement_id: int, letters: Mapping[str, str], onward: bool
) -> None:
    """Give roots other letters in marks, figures and all that was said of them, in one go.

    Raises
    ------
    NotFound, BadInput : as `letter_changes`.
    """
    with studio.writing() as db:
        newest = measurements_of(db, tree_id)[-1:]
        for change in letter_changes(db, tree_id, measurement_id, letters, onward):
            relabel(db, studio, change.row, change.names)
            db.flush()
            # What is being entered at the bench names the roots of the newest photo.
            entries = change.row in newest
            rename_letters(db, tree_id, change.row.id, change.names, entries)
        settle_tree(db, studio, tree_id)


def _labels(row: Measurement) -> list[str]:
    return row.top.labels if row.top else []


def _names(labels: list[str], letters: Mapping[str, str], ever: set[str]) -> dict[str, str]:
    """New letter by old of those that change. Raises BadInput."""
    used, names = set(ever), {}
    for label in labels:
        wanted = letters.get(label, label)
        # A letter out of the air would join two roots that were never one.
        if wanted and wanted not in ever:
            raise BadInput("letters", f"no root of this tree ever bore the letter {wanted[:12]}")
        if not wanted:
            wanted = next_letter(used)
            used.add(wanted)
        if wanted != label:
            names[label] = wanted
    if not names:
        raise BadInput("letters", "no letter changes")
    return names


def _check_apart(row: Measurement, names: Mapping[str, str]) -> None:
    after = [names.get(label, label) for label in _labels(row)]
    twice = next((label for label in after if after.count(label) > 1), None)
    if twice is not None:
        day = f"{row.measured_on.day} {row.measured_on:%B %Y}"
        raise BadInput("letters", f"on {day} two roots would bear the letter {twice}")


def _sessions(
    db: DbSession, tree_id: int, row: Measurement, names: Mapping[str, str]
) -> tuple[date, ...]:
    cuts = cuts_of(db, tree_id)
    return tuple(
        session.done_on
        for session in sessions_of(db, tree_id)[::-1]
        if any(
            done.cut.measurement_id == row.id and done.label in names
            for done in cuts.get(session.id, ())
        )
    )
