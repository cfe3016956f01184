"""The yard's calendar: each tree's next window and what its aftercare asks for."""

from __future__ import annotations

import hmac
import secrets
from datetime import date
from heapq import nsmallest

from mirvo.core.errors import NotFound
from mirvo.formats.calendar import Entry, calendar_file
from mirvo.records.database import DbSession
from mirvo.records.models import Plan
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of
from mirvo.studio.records.aftercare import open_care
from mirvo.studio.standing.kept_plans import step_of
from mirvo.studio.standing.tree_list import REPOT, TreeRow, list_trees
from mirvo.text.advice import headline

# A calendar shows what comes, however far.
FAR_AHEAD = date(9999, 1, 1)


def entries_of(
    db: DbSession, today: date, most: int | None = None, of_tree: int | None = None
) -> list[Entry]:
    """Windows in which trees are due and open aftercare tasks, by date; the first `most`, or those
    of one tree."""
    school = yard_of(db).school
    rows = [row for row in list_trees(db, today) if row.tree.died_on is None]
    if of_tree is not None:
        rows = [row for row in rows if row.tree.id == of_tree]
    if most is not None:
        rows = nsmallest(most, rows, key=lambda row: row.window.start)
    entries = [_window(row, school) for row in rows]
    for due in open_care(db, today, FAR_AHEAD, most):
        if of_tree not in (None, due.tree_id):
            continue
        title = f"{due.tree_name}: {due.title}"
        note = "Set by hand."
        if due.done_on is not None:
            note = f"After the session of {due.done_on:%d %b %Y}."
        entries.append(Entry(f"care-{due.id}", due.due, due.due, title, note))
    return sorted(entries, key=lambda entry: (entry.first, entry.key))[:most]


def _window(row: TreeRow, school: str) -> Entry:
    window, plan = row.window, row.stands.plan
    title = f"{row.tree.name}: window for root work"
    # What a path plans is said where it is what is to be done, and nowhere beside other advice.
    planned = _planned(plan, school, window.best.year) if row.verdict.kind in REPOT else ""
    best = f"{headline(row.verdict)}. Best about {window.best.day} {window.best:%B}."
    return Entry(
        # The same for ever, so that a moved window moves in the calendar and is not added.
        f"window-{row.tree.id}-{window.best.year}",
        window.start,
        window.end,
        title,
        f"{best} {planned}".strip(),
    )


def _planned(plan: Plan | None, school: str, year: int) -> str:
    if plan is None:
        return ""
    step = step_of(plan, school, year)
    if step is None:
        return "No session is planned in it."
    cut = f"cut {', '.join(step.faults)}; " if step.faults else ""
    slice_said = f"{step.slice_mm:.0f} mm off the underside; " if step.slice_mm else ""
    trim = f"{step.side_trim_mm} mm off each side; " if step.side_trim_mm else ""
    return f"Planned: {cut}{slice_said}{trim}into the {step.into}."


def _same(secret: str, given: str) -> bool:
    # As bytes: of texts it compares none but those of plain letters.
    return hmac.compare_digest(secret.encode(), given.encode("utf-8", "replace"))


def calendar_of(db: DbSession, studio: Studio, secret: str) -> bytes:
    """The calendar file for whoever knows the secret. Raises NotFound for anybody else."""
    yard = yard_of(db)
    if not yard.calendar_secret or not _same(yard.calendar_secret, secret):
        raise NotFound("calendar", "there is no such calendar")
    return calendar_file(yard.name, entries_of(db, studio.today), studio.now)


def new_secret(studio: Studio) -> str:
    """A new subscription address; the old one stops working."""
    secret = secrets.token_urlsafe(18)
    with studio.writing() as db:
        put_yard(db, calendar_secret=secret)
    return secret


def drop_secret(studio: Studio) -> None:
    """Stop the subscription address."""
    with studio.writing() as db:
        put_yard(db, calendar_secret="")
