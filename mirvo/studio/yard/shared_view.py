"""What a link shows of a tree: the parts its owner ticked, and nothing else of it.

Page, drawings and charts behind the link are made from this one object, so that nothing that is not
ticked can be asked for by another name.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from mirvo.core.measure.records import CountedSpread, TopRecord
from mirvo.records.database import DbSession
from mirvo.records.models import Measurement, Photo, RootSession, Target, Tree
from mirvo.studio.photos.photo_queries import photos_of
from mirvo.studio.yard.sharing import tree_behind
from mirvo.studio.yard.sheet import Sheet, sheet_of

SHOWN_PHOTOS = 24


@dataclass(frozen=True)
class SharedFigures:
    """Figures of the newest measurement."""

    measured: Measurement
    record: TopRecord
    spread: CountedSpread | None


@dataclass(frozen=True)
class SharedTarget:
    """Where a tree is going, and by when it likely gets there."""

    target: Target
    likely_year: int | None


@dataclass(frozen=True)
class Provenance:
    """Where a tree came from."""

    origin: str
    came_in: int | None
    former_owners: str


@dataclass(frozen=True)
class SharedView:
    """A tree behind its link. Each part is None, or empty, where it is not shown.

    drawn : what plan and section are drawn from. charted : what the years are.
    """

    tree_id: int
    name: str
    species: str
    scientific: str
    provenance: Provenance | None
    drawn: Sheet | None
    charted: Sheet | None
    figures: SharedFigures | None
    target: SharedTarget | None
    sessions: tuple[RootSession, ...]
    photos: tuple[Photo, ...]
    shows_nothing: bool


def shared_view(db: DbSession, secret: str, today: date) -> SharedView:
    """What a link shows. Raises NotFound for one that was withdrawn, or never was."""
    tree, parts = tree_behind(db, secret)
    whole = sheet_of(db, tree.id, today)
    shown = _only(whole, parts)
    figures = "figures" in parts and shown.base is not None
    return SharedView(
        tree_id=tree.id,
        name=tree.name,
        species=whole.species.name,
        scientific=whole.species.scientific,
        provenance=_provenance(tree) if "provenance" in parts else None,
        drawn=shown if "drawing" in parts else None,
        charted=shown if "figures" in parts else None,
        figures=_figures(shown) if figures else None,
        target=_target(whole) if "target" in parts else None,
        sessions=shown.sessions,
        photos=tuple(photos_of(db, tree.id)[:SHOWN_PHOTOS]) if "photos" in parts else (),
        shows_nothing=not parts,
    )


def shared_photo(db: DbSession, secret: str, photo_id: int) -> Photo | None:
    """A photo behind a link; None where it is another tree's, or photos are not shown."""
    tree, parts = tree_behind(db, secret)
    found = photos_of(db, tree.id) if "photos" in parts else ()
    return next((photo for photo in found if photo.id == photo_id), None)


def _only(sheet: Sheet, parts: frozenset[str]) -> Sheet:
    """A sheet without what is not shown: target and plan, sessions with what they left."""
    if "target" not in parts:
        sheet = replace(sheet, target=None, path=None)
    if "sessions" not in parts:
        sheet = replace(sheet, sessions=(), cuts={})
    return sheet


def _figures(sheet: Sheet) -> SharedFigures | None:
    if sheet.base is None:
        return None
    return SharedFigures(sheet.base.measurement, sheet.base.record, sheet.spread)


def _target(sheet: Sheet) -> SharedTarget | None:
    if sheet.target is None:
        return None
    return SharedTarget(sheet.target, sheet.path.likely_year if sheet.path else None)


def _provenance(tree: Tree) -> Provenance:
    came = None if tree.acquired_on is None else tree.acquired_on.year
    return Provenance(tree.origin, came, tree.former_owners)
