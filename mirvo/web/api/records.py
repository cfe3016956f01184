"""What programs read."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Path
from sqlalchemy import select

from mirvo.core.measure.figure import Figure
from mirvo.formats.exchange import as_json, columns_of
from mirvo.formats.exchange.tables import RowValues, TableKind, table_of
from mirvo.records.database import DbSession
from mirvo.records.models import (
    CareTask,
    Compostable,
    NightMinimum,
    Photo,
    Root,
    RootSession,
    ShelfPot,
    Tree,
)
from mirvo.studio.exchange.tokens import READ
from mirvo.studio.standing.standing import standing_of
from mirvo.studio.standing.tree_queries import all_measurements_of, load_tree
from mirvo.text.advice import headline
from mirvo.web.api.access import MOST, After, Limit, Reader, may
from mirvo.web.api.models import (
    FigureOut,
    MeasurementOut,
    NightOut,
    Page,
    PhotoRow,
    PotRow,
    RootRow,
    SessionRow,
    StandingOut,
    TaskRow,
    TreeRow,
)

router = APIRouter(dependencies=[may(READ)])
Number = Annotated[int, Path(ge=0, le=MOST)]


def page_of_rows(
    db: DbSession, kind: TableKind, after: int, limit: int, tree_id: int | None = None
) -> RowValues:
    """A page of a table's rows by number, without what lies on the compost heap."""
    table = table_of(kind)
    query = select(*columns_of(kind)).where(table.c.id > after).order_by(table.c.id)
    if issubclass(kind, Compostable):
        query = query.where(kind.kept())
    if tree_id is not None:
        load_tree(db, tree_id)
        query = query.where(table.c.tree_id == tree_id)
    rows = [as_json(kind, row._asdict()) for row in db.execute(query.limit(limit + 1))]
    more = len(rows) > limit
    return {"items": rows[:limit], "next": rows[limit - 1]["id"] if more else None}


def row_of(db: DbSession, kind: TableKind, number: int) -> RowValues:
    """One row as the interface gives it."""
    table = table_of(kind)
    found = db.execute(select(*columns_of(kind)).where(table.c.id == number)).one()
    return as_json(kind, found._asdict())


@router.get("/trees", response_model=Page[TreeRow])  # type: ignore[valid-type]
def list_trees(reader: Reader, limit: Limit = 100, after: After = 0) -> Any:
    """All trees."""
    return page_of_rows(reader.db, Tree, after, limit)


@router.get("/trees/{tree_id}", response_model=TreeRow)
def show_tree(reader: Reader, tree_id: Number) -> Any:
    """One tree."""
    return row_of(reader.db, Tree, load_tree(reader.db, tree_id).id)


@router.get("/trees/{tree_id}/standing")
def show_standing(reader: Reader, tree_id: Number) -> StandingOut:
    """How a tree stands today, and its next window."""
    reader.studio.settle()
    stands = standing_of(reader.db, tree_id, reader.today)
    verdict, standing = stands.usual_verdict, stands.standing
    window = verdict.window
    return StandingOut(
        verdict=verdict.kind,
        verdict_name=headline(verdict),
        season=standing.season.state,
        budget=round(standing.limits.budget, 4),
        strength=standing.strength.value,
        window_from=window.start,
        window_to=window.end,
        best=window.best,
    )


@router.get("/trees/{tree_id}/sessions", response_model=Page[SessionRow])  # type: ignore[valid-type]
def list_sessions(reader: Reader, tree_id: Number, limit: Limit = 100, after: After = 0) -> Any:
    """Root sessions of a tree."""
    return page_of_rows(reader.db, RootSession, after, limit, tree_id)


@router.get("/trees/{tree_id}/photos", response_model=Page[PhotoRow])  # type: ignore[valid-type]
def list_photos(reader: Reader, tree_id: Number, limit: Limit = 100, after: After = 0) -> Any:
    """Photos of a tree; the files lie in exchange files."""
    return page_of_rows(reader.db, Photo, after, limit, tree_id)


@router.get("/trees/{tree_id}/roots", response_model=Page[RootRow])  # type: ignore[valid-type]
def list_roots(reader: Reader, tree_id: Number, limit: Limit = 100, after: After = 0) -> Any:
    """Roots of a tree by their letters, those that are gone too."""
    return page_of_rows(reader.db, Root, after, limit, tree_id)


@router.get("/trees/{tree_id}/tasks", response_model=Page[TaskRow])
def list_tasks(reader: Reader, tree_id: Number, limit: Limit = 100, after: After = 0) -> Any:
    """Tasks of a tree, done and open."""
    return page_of_rows(reader.db, CareTask, after, limit, tree_id)


@router.get("/trees/{tree_id}/measurements")
def list_measurements(
    reader: Reader, tree_id: Number, limit: Limit = 100, after: After = 0
) -> Page[MeasurementOut]:
    """What was measured from above, by number."""
    load_tree(reader.db, tree_id)
    rows = sorted(all_measurements_of(reader.db, tree_id), key=lambda row: row.id)
    found = [row for row in rows if row.id > after and row.top is not None]
    items = []
    for row in found[:limit]:
        top = row.top
        if top is None:
            continue
        spread = top.spread.usual
        items.append(
            MeasurementOut(
                id=row.id,
                measured_on=row.measured_on,
                photo_id=row.photo_id,
                counts=row.counts,
                trunk_diameter_mm=_figure(top.trunk_diameter_mm),
                spread_ratio=_figure(spread.ratio),
                spread_basis=top.spread.usual_basis,
                radiality=_figure(top.radiality.index),
                largest_gap_deg=_figure(top.radiality.largest_gap_deg),
                roots=len(top.roots),
            )
        )
    return Page(items=items, next=items[-1].id if len(found) > limit else None)


@router.get("/pots", response_model=Page[PotRow])  # type: ignore[valid-type]
def list_pots(reader: Reader, limit: Limit = 100, after: After = 0) -> Any:
    """The shelf of pots."""
    return page_of_rows(reader.db, ShelfPot, after, limit)


@router.get("/nights")
def list_nights(reader: Reader, limit: Limit = 100, after: After = 0) -> Page[NightOut]:
    """Minima of nights that were written, the newest first; `after` counts how many to pass by."""
    query = select(NightMinimum).order_by(NightMinimum.day.desc()).offset(after).limit(limit + 1)
    rows = list(reader.db.scalars(query))
    items = [NightOut(night=row.day, low_c=row.low_c, source=row.source) for row in rows[:limit]]
    return Page(items=items, next=after + limit if len(rows) > limit else None)


def _figure(figure: Figure) -> FigureOut:
    return FigureOut(value=round(figure.value, 3), plus_minus=round(figure.plus_minus, 3))
