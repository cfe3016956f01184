"""What the studio knows as tables for a spreadsheet, each length with its unit in the heading."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import date
from typing import Any

from sqlalchemy import Select, select

from mirvo.core.errors import NotFound
from mirvo.core.rootwork.kinds import kind_name
from mirvo.formats.spreadsheet import Cell, Sheet
from mirvo.records.database import DbSession
from mirvo.records.models import (
    CareTask,
    HandMeasurement,
    Measurement,
    Root,
    RootSession,
    ShelfPot,
    Tree,
)
from mirvo.studio.standing.tree_list import list_trees
from mirvo.studio.standing.tree_queries import FROM_ABOVE
from mirvo.text.advice import headline

# The column of the mean spread in the table of measurements.
MEAN_SPREAD = 9


def trees_table(db: DbSession, today: date) -> Sheet:
    """A row a tree, as it stands."""
    header = (
        *("Name", "Species", "Scientific name", "Origin", "Came on", "Age (years)", "Stage"),
        *("Strength", "Age class", "Height (mm)", "Trunk (mm)", "Trunk ± (mm)", "Spread to trunk"),
        *("Radiality", "Largest gap (°)", "Container", "Pot", "Last session", "Next window from"),
        *(
            "Next window to",
            "Verdict",
            "Former owners",
            "Price",
            "Batch",
            "Tags",
            "Died on",
            "Note",
        ),
    )
    rows: list[list[Cell]] = []
    for row in list_trees(db, today):
        tree, found = row.tree, row.measured
        spread = row.spread_ratio
        rows.append(
            [
                *(tree.name, row.species.name, row.species.scientific, tree.origin),
                *(tree.acquired_on, tree.age_years, tree.stage, tree.strength, tree.age_class),
                tree.height_mm,
                _rounded(found.trunk_diameter_mm.value if found else tree.trunk_mm, 1),
                _rounded(found.trunk_diameter_mm.plus_minus if found else None, 1),
                _rounded(spread.value if spread else None, 2),
                _rounded(found.radiality.index.value if found else None, 0),
                _rounded(found.radiality.largest_gap_deg.value if found else None, 0),
                tree.container,
                tree.pot.name if tree.pot else None,
                *(row.last_session, row.window.start, row.window.end, headline(row.verdict)),
                *(tree.former_owners, tree.price, tree.batch, ", ".join(tree.tags or ())),
                *(tree.died_on, tree.note),
            ]
        )
    return Sheet("Trees", header, rows)


def sessions_table(db: DbSession, today: date) -> Sheet:
    """A row a root session, oldest first."""
    header = (
        *("Tree", "Done on", "Kind", "Buds", "Ball before (mm)", "Ball after (mm)", "Slice (mm)"),
        *("Share taken (%)", "Share judged (%)", "Share weighed (%)", "Share computed (%)"),
        *("Budget (%)", "Crown reduced (%)", "Pot", "Soil"),
        *("Container", "Found", "Next time"),
    )
    query = (
        select(RootSession, Tree.name)
        .join(Tree, Tree.id == RootSession.tree_id)
        .where(RootSession.kept(), Tree.kept())
        .order_by(RootSession.done_on, RootSession.id)
    )
    rows: list[list[Cell]] = [
        [
            *(name, one.done_on, kind_name(one.kind), one.bud_stage),
            *(one.ball_depth_before, one.ball_depth_after, one.slice_mm),
            *(_percent(one.share), one.share_judged, _percent(one.share_weighed)),
            *(_percent(one.share_computed), _percent(one.budget)),
            *(one.top_reduced, one.pot_after, one.soil, one.container_after),
            *(one.found, one.next_time),
        ]
        for one, name in db.execute(query)
    ]
    return Sheet("Sessions", header, rows)


def measurements_table(db: DbSession, today: date) -> Sheet:
    """A row a photo measured from above, and a day measured by hand."""
    figures = ("Trunk", "Spread across", "Spread least", "Spread mean")
    header = (
        *("Tree", "Measured on", "Measured by"),
        *(f"{name} {part}(mm)" for name in figures for part in ("", "± ")),
        *("Spread to trunk", "Spread to trunk ±", "Basis", "Radiality", "Radiality ±"),
        *("Largest gap (°)", "Largest gap ± (°)", "Roots", "Height (mm)"),
    )
    rows: list[list[Cell]] = []
    for name, day, top in db.execute(
        _measured(Tree.name, Measurement.measured_on, Measurement.top)
    ):
        if top is None:
            continue
        spread = top.spread.usual
        lengths = (top.trunk_diameter_mm, spread.across_mm, spread.least_mm, spread.mean_mm)
        line: list[Cell] = [name, day, "photo"]
        for figure in lengths:
            line += [round(figure.value, 1), round(figure.plus_minus, 1)]
        line += [round(spread.ratio.value, 2), round(spread.ratio.plus_minus, 2)]
        line.append(top.spread.usual_basis)
        for figure in (top.radiality.index, top.radiality.largest_gap_deg):
            line += [round(figure.value, 1), round(figure.plus_minus, 1)]
        rows.append([*line, len(top.roots), None])
    rows += _by_hand(db, len(header))
    return Sheet("Measurements", header, sorted(rows, key=lambda row: (str(row[0]), str(row[1]))))


def _by_hand(db: DbSession, columns: int) -> Iterator[list[Cell]]:
    """What was measured by hand, in the columns of what photos gave."""
    query = (
        select(HandMeasurement, Tree.name)
        .join(Tree, Tree.id == HandMeasurement.tree_id)
        .where(HandMeasurement.kept(), Tree.kept())
    )
    for row, name in db.execute(query):
        line: list[Cell] = [None] * columns
        line[:4] = [name, row.measured_on, "hand", row.trunk_mm]
        line[MEAN_SPREAD], line[-1] = row.spread_mm, row.height_mm
        yield line


def roots_table(db: DbSession, today: date) -> Sheet:
    """A row a root on each day it was measured, and those only named."""
    header = (
        *("Tree", "Root", "First seen", "Gone on", "Measured on", "Azimuth (°)", "Clock"),
        *("Base width (mm)", "Base width ± (mm)", "Reach (mm)", "Reach ± (mm)", "Faults"),
    )
    known = {
        (tree_id, label): (first, gone)
        for tree_id, label, first, gone in db.execute(
            select(Root.tree_id, Root.label, Root.first_seen_on, Root.gone_on)
        )
    }
    rows: list[list[Cell]] = []
    seen = set()
    columns = (Tree.id, Tree.name, Measurement.measured_on, Measurement.top)
    for tree_id, name, day, top in db.execute(_measured(*columns)):
        for root in top.roots if top is not None else ():
            first, gone = known.get((tree_id, root.label), (None, None))
            seen.add((tree_id, root.label))
            width = root.base_width_mm
            rows.append(
                [
                    *(name, root.label, first, gone, day, round(root.azimuth_deg.value, 1)),
                    round(root.clock, 1),
                    _rounded(width.value if width else None, 1),
                    _rounded(width.plus_minus if width else None, 1),
                    *(round(root.reach_mm.value, 1), round(root.reach_mm.plus_minus, 1)),
                    ", ".join(str(fault) for fault in root.faults),
                ]
            )
    names = {row.id: row.name for row in db.execute(select(Tree.id, Tree.name))}
    for (tree_id, label), (first, gone) in sorted(known.items()):
        if (tree_id, label) not in seen:
            rows.append([names[tree_id], label, first, gone, *[None] * 8])
    return Sheet("Roots", header, rows)


def tasks_table(db: DbSession, today: date) -> Sheet:
    """A row a task, done or open."""
    query = (
        select(Tree.name, CareTask)
        .join(Tree, Tree.id == CareTask.tree_id)
        .where(CareTask.kept(), Tree.kept())
        .order_by(CareTask.due, CareTask.id)
    )
    rows: list[list[Cell]] = [
        [name, task.title, task.since, task.due, task.done_at and task.done_at.date()]
        for name, task in db.execute(query)
    ]
    return Sheet("Tasks", ("Tree", "What", "Since", "Due", "Done on"), rows)


def pots_table(db: DbSession, today: date) -> Sheet:
    """A row a pot."""
    header = (
        *("Name", "Shape", "Length (mm)", "Width (mm)", "Depth (mm)", "Floor length (mm)"),
        *("Floor width (mm)", "Holes", "Weight (kg)", "Glaze", "Condition", "Place", "Cost"),
        *("Holds (l)", "Tree", "Note"),
    )
    standing = select(Tree.pot_id, Tree.name).where(Tree.pot_id.is_not(None), Tree.kept())
    trees = {row.pot_id: row.name for row in db.execute(standing)}
    pots = db.scalars(select(ShelfPot).where(ShelfPot.kept()).order_by(ShelfPot.name))
    rows: list[list[Cell]] = [
        [
            *(pot.name, pot.shape, pot.length_mm, pot.width_mm, pot.depth_mm),
            *(pot.floor_length_mm, pot.floor_width_mm, pot.holes, pot.weight_kg, pot.glaze),
            *(pot.condition, pot.place, pot.cost, round(pot.inside.litres(), 2)),
            *(trees.get(pot.id), pot.note),
        ]
        for pot in pots
    ]
    return Sheet("Pots", header, rows)


TABLES: dict[str, Callable[[DbSession, date], Sheet]] = {
    "trees": trees_table,
    "sessions": sessions_table,
    "measurements": measurements_table,
    "roots": roots_table,
    "tasks": tasks_table,
    "pots": pots_table,
}


def table_of(db: DbSession, name: str, today: date) -> Sheet:
    """One table by its name. Raises NotFound."""
    if name not in TABLES:
        raise NotFound("table", f"there is no table '{name[:40]}'")
    return TABLES[name](db, today)


def all_tables(db: DbSession, today: date) -> list[Sheet]:
    """Every table, in the order of the work."""
    return [make(db, today) for make in TABLES.values()]


def _measured(*columns: Any) -> Select[Any]:
    return (
        select(*columns)
        .join(Tree, Tree.id == Measurement.tree_id)
        .where(FROM_ABOVE, Measurement.kept(), Tree.kept())
        .order_by(Tree.name, Measurement.measured_on, Measurement.id)
    )


def _rounded(value: float | None, digits: int) -> Cell:
    return None if value is None else round(value, digits)


def _percent(share: float | None) -> Cell:
    return None if share is None else round(share * 100, 1)
