"""The dossier of a tree: all that its next owner wants to know; and the studio's year book."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from sqlalchemy import select

from mirvo.core.measure.records import TopRecord
from mirvo.core.standing.answer import Answer
from mirvo.records.database import DbSession
from mirvo.records.models import CareTask, Measurement, Photo, RootSession, Tree
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.records.aftercare import kept_for_a_while
from mirvo.studio.standing.species import species_of
from mirvo.studio.standing.tree_list import TreeRow, list_trees
from mirvo.studio.standing.tree_queries import FROM_ABOVE
from mirvo.studio.yard.family import Graft, grafts_of
from mirvo.studio.yard.sheet import Sheet, sheet_of

# Of a tree's photos as many as fill two pages.
MOST_PHOTOS = 12
PORTRAIT_KINDS = ("side", "crown", "top", "after")


@dataclass(frozen=True)
class DossierSession:
    """A root session with what the tree answered."""

    session: RootSession
    answer: Answer | None

    @property
    def share(self) -> float:
        """As it counts: weighed, judged or computed."""
        return self.session.share


@dataclass(frozen=True)
class Dossier:
    """One tree. portrait : its best photo to know it by. provenance : label and words."""

    sheet: Sheet
    portrait: Photo | None
    photos: list[Photo]
    sessions: list[DossierSession]
    provenance: list[tuple[str, str]]
    kept: list[CareTask]

    @property
    def tree(self) -> Tree:
        return self.sheet.tree


def dossier_of(db: DbSession, tree_id: int, today: date) -> Dossier:
    """All of one tree. Raises NotFound."""
    sheet, photos = sheet_of(db, tree_id, today), list(photos_of(db, tree_id))
    by_kind: dict[str, list[Photo]] = defaultdict(list)
    for photo in sorted(photos, key=lambda one: one.taken_on, reverse=True):
        by_kind[photo.kind].append(photo)
    portrait = next((by_kind[kind][0] for kind in PORTRAIT_KINDS if by_kind[kind]), None)
    sessions = [DossierSession(one, sheet.stands.answers.get(one.id)) for one in sheet.sessions]
    chosen = _spread(sorted(photos, key=lambda one: one.taken_on))
    provenance = _provenance(db, sheet, grafts_of(db, tree_id))
    return Dossier(
        sheet, portrait, chosen, sessions[::-1], provenance, kept_for_a_while(db, tree_id)
    )


def _spread(photos: list[Photo]) -> list[Photo]:
    """So many of the photos as there is room for, spread over the years."""
    if len(photos) <= MOST_PHOTOS:
        return photos
    step = (len(photos) - 1) / (MOST_PHOTOS - 1)
    return [photos[round(number * step)] for number in range(MOST_PHOTOS)]


def _provenance(db: DbSession, sheet: Sheet, grafts: list[Graft]) -> list[tuple[str, str]]:
    tree = sheet.tree
    found = [("Origin", tree.origin)]
    if tree.acquired_on is not None:
        found.append(("Came on", _day(tree.acquired_on)))
    if tree.age_years is not None:
        found.append(("Age, guessed", f"{tree.age_years} years"))
    found += [
        (label, said)
        for label, said in (("Former owners", tree.former_owners), ("Batch", tree.batch))
        if said
    ]
    if tree.understock_key:
        stock = species_of(yard_of(db), tree.understock_key).name
        at = (
            "" if tree.graft_height_mm is None else f", {tree.graft_height_mm:.0f} mm over the soil"
        )
        found.append(("Grafted on", f"{stock}{at}"))
    for graft in grafts:
        if not graft.given:
            giver = graft.other.name if graft.other else "a tree of no record"
            place = f", {graft.row.place}" if graft.row.place else ""
            found.append((graft.row.kind.capitalize(), f"from {giver}{place}"))
    return found


def _day(day: date) -> str:
    return f"{day.day} {day:%B %Y}"


@dataclass(frozen=True)
class TreeYear:
    """What happened to a tree in a year. first, last : measured before or at the beginning of
    it, and last in it; None where it was not measured."""

    row: TreeRow
    sessions: list[DossierSession]
    first: TopRecord | None
    last: TopRecord | None


@dataclass(frozen=True)
class YearBook:
    """A year of the studio. trees : those with something to say of it. years : that have a book."""

    year: int
    trees: list[TreeYear]
    came: list[Tree]
    died: list[Tree]
    years: list[int]

    @property
    def sessions(self) -> int:
        return sum(len(one.sessions) for one in self.trees)


def year_book(db: DbSession, year: int, today: date) -> YearBook:
    """The book of one year, by the trees' names."""
    rows, years, found = list_trees(db, today), {today.year}, []
    measured = _measured_until(db, year)
    for row in rows:
        worked = [one for one in row.stands.sessions if one.done_on.year == year]
        years |= {one.done_on.year for one in row.stands.sessions}
        dated = measured.get(row.tree.id, [])
        within = [top for day, top in dated if day.year == year]
        before = [top for day, top in dated if day.year < year]
        if not worked and not within:
            continue
        first = before[-1] if before else next(iter(within), None)
        sessions = [DossierSession(one, row.stands.answers.get(one.id)) for one in worked[::-1]]
        found.append(TreeYear(row, sessions, first, within[-1] if within else None))
    came = [row.tree for row in rows if row.tree.acquired_on and row.tree.acquired_on.year == year]
    died = [row.tree for row in rows if row.tree.died_on and row.tree.died_on.year == year]
    return YearBook(year, found, came, died, sorted(years, reverse=True))


def _measured_until(db: DbSession, year: int) -> dict[int, list[tuple[date, TopRecord]]]:
    """Day and figures of trees measured in a year, up to its end, by tree and oldest first."""
    first, last = date(year, 1, 1), date(year, 12, 31)
    kept = FROM_ABOVE, Measurement.kept(), Measurement.measured_on <= last
    within = select(Measurement.tree_id).where(*kept, Measurement.measured_on >= first)
    query = (
        select(Measurement.tree_id, Measurement.measured_on, Measurement.top)
        .where(*kept, Measurement.tree_id.in_(within))
        .order_by(Measurement.measured_on, Measurement.id)
    )
    found: dict[int, list[tuple[date, TopRecord]]] = defaultdict(list)
    for tree_id, day, top in db.execute(query):
        if top is not None:
            found[tree_id].append((day, top))
    return found
