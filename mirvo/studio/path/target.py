"""A tree's target, and what is fixed by hand on the way to it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import get_args

from sqlalchemy import delete, select
from sqlalchemy.orm import aliased

from mirvo.core.almanac import rules
from mirvo.core.errors import BadInput
from mirvo.core.lengths import MM, read_length
from mirvo.core.limits.targets import TargetFields
from mirvo.core.plan.case import FINAL, Allow, GapMethod, Hold
from mirvo.records.database import DbSession
from mirvo.records.models import MAX_LABEL, GapPlan, Regrowth, Root, Target, TargetHold
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.set_aside import keep_deleted
from mirvo.studio.ground.state_cache import kept_by_tree
from mirvo.studio.measuring.roots_of_tree import root_of, settle_roots
from mirvo.studio.standing.tree_queries import load_tree, measured_base

# Years of a plan that can be fixed by hand.
HORIZON_YEARS = 40
MAX_REGROWTH_YEARS = 15
MAX_WHY = 200
GAP_METHODS: tuple[GapMethod, ...] = get_args(GapMethod)
ALLOWED: tuple[Allow, ...] = get_args(Allow)
GapSides = tuple[str, str]


def set_target(studio: Studio, tree_id: int, form: TargetFields) -> Target:
    """Keep a target; what is fixed by hand stays.

    Raises
    ------
    BadInput : it lies in the past or cannot hold a ball.
    """
    # This year may still be wished for: a window may lie ahead.
    if form.year is not None and form.year < studio.today.year:
        raise BadInput("year", f"{form.year} has passed; wish for {studio.today.year} or later")
    with studio.writing() as db:
        load_tree(db, tree_id)
        target = Target(tree_id=tree_id, updated_at=studio.now, **form.model_dump())
        # Merged, so that holds and what hangs on the target stay.
        return db.merge(target)


@kept_by_tree
def holds_of(db: DbSession, tree_id: int) -> tuple[TargetHold, ...]:
    """Years of a tree's target fixed by hand, in order."""
    query = select(TargetHold).where(TargetHold.tree_id == tree_id)
    return tuple(db.scalars(query.order_by(TargetHold.year, TargetHold.id)))


@kept_by_tree
def gap_methods_of(db: DbSession, tree_id: int) -> Mapping[GapSides, GapMethod]:
    """How gaps are to be closed, by the letters of the roots on their sides, clockwise."""
    first, second = aliased(Root), aliased(Root)
    query = (
        select(first.label, second.label, GapPlan.method)
        .join(first, first.id == GapPlan.first_root_id)
        .join(second, second.id == GapPlan.second_root_id)
        .where(GapPlan.tree_id == tree_id)
    )
    return {(root, other): _method(name) for root, other, name in db.execute(query)}


@kept_by_tree
def regrowth_of(db: DbSession, tree_id: int) -> Mapping[str, int]:
    """After how many years roots that are cut grow back, by letter."""
    query = (
        select(Root.label, Regrowth.years)
        .join(Root, Root.id == Regrowth.root_id)
        .where(Regrowth.tree_id == tree_id)
    )
    return dict(db.execute(query).all())


def hold_year(studio: Studio, tree_id: int, year: int, why: str, allow: str = "none") -> None:
    """Fix a year by hand, and keep why. `allow` is one of `ALLOWED`, see `core.plan.case.Hold`.

    Raises
    ------
    BadInput : there is no target yet, or the year lies outside the plan.
    """
    first, last = studio.today.year, studio.today.year + HORIZON_YEARS
    if not first <= year <= last:
        raise BadInput("hold_year", f"{year} lies outside the plan, {first} to {last}")
    if allow not in ALLOWED:
        raise BadInput("hold_year", f"'{allow}' is not one of {', '.join(ALLOWED)}")
    with studio.writing() as db:
        target = _target(db, tree_id)
        for hold in holds_of(db, tree_id):
            # The new word on a year replaces the old one.
            if _replaced(hold, year, allow):
                db.delete(hold)
        # Before the new one is added, since a year may be held once only.
        db.flush()
        db.add(TargetHold(tree_id=tree_id, year=year, why=why[:MAX_WHY], allow=allow))
        target.updated_at = studio.now


def _replaced(old: TargetHold, year: int, allow: str) -> bool:
    """Whether an earlier fixing gives way: one pot year in all, one word on each other year."""
    if allow == FINAL:
        return old.allow == FINAL
    return old.year == year and old.allow != FINAL


def release_year(studio: Studio, tree_id: int, year: int) -> None:
    """Leave a year to the plan again. Raises BadInput without a target."""
    with studio.writing() as db:
        target = _target(db, tree_id)
        of_year = TargetHold.tree_id == tree_id, TargetHold.year == year
        tree = load_tree(db, tree_id)
        for hold in db.scalars(select(TargetHold).where(*of_year)):
            keep_deleted(db, studio.now, hold, f"{year} fixed on the path of {tree.name}")
        target.updated_at = studio.now


def replace_holds(db: DbSession, tree_id: int, holds: Iterable[Hold]) -> None:
    """Fix just these years; what was said of a year that stays fixed stays with it."""
    why = {(hold.year, hold.allow): hold.why for hold in holds_of(db, tree_id)}
    db.execute(delete(TargetHold).where(TargetHold.tree_id == tree_id))
    for hold in holds:
        reason = why.get((hold.year, hold.allow), "")
        db.add(TargetHold(tree_id=tree_id, year=hold.year, allow=hold.allow, why=reason))


def choose_containers(
    studio: Studio,
    tree_id: int,
    names: Sequence[str],
    depths: Mapping[str, str] | None = None,
    bare: str = MM,
) -> None:
    """Say which containers are at hand for a tree; the final pot always is.

    depths : inner depth by container as it was typed, empty where it was not measured; None
    leaves them as they are. bare : MM or INCHES, of a number without a unit.

    Raises
    ------
    BadInput : a container Mirvo does not know, none to grow in, or a depth that cannot be.
    """
    known = rules().containers
    unknown = [name for name in names if name not in known]
    if unknown:
        raise BadInput("containers", f"'{unknown[0]}' is not a container Mirvo knows")
    if not set(names) - {FINAL}:
        raise BadInput("containers", "tick at least one container for the tree to grow in")
    measured = None if depths is None else _measured_depths(depths, bare)
    with studio.writing() as db:
        target = _target(db, tree_id)
        # In the order of the rules, so that equal choices make equal cases.
        target.containers = tuple(name for name in known if name in names or name == FINAL)
        if measured is not None:
            target.container_depths = measured
        target.updated_at = studio.now


def _measured_depths(entered: Mapping[str, str], bare: str) -> dict[str, float]:
    low, high = rules().target.limits.pot_depth_mm
    measured = {}
    for name in rules().containers:
        text = entered.get(name, "")
        if not text:
            continue
        depth = read_length(text, bare)
        if depth is None:
            raise BadInput("containers", f"'{text}' is not a depth, such as 80 mm")
        if not low <= depth <= high:
            message = f"the {name} is {low:g} to {high:g} mm deep inside, not '{text}'"
            raise BadInput("containers", message)
        measured[name] = depth
    return measured


def choose_gap_methods(studio: Studio, tree_id: int, methods: Mapping[GapSides, str]) -> None:
    """Say how gaps are to be closed, by the roots on their sides.

    Raises BadInput for a method Mirvo does not know, or a gap the tree cannot have.
    """
    for between, said in methods.items():
        _method(said)
        for label in between:
            _check_letter("gaps", label)
    with studio.writing() as db:
        target = _target(db, tree_id)
        put_gap_methods(db, tree_id, methods)
        target.updated_at = studio.now


def put_gap_methods(db: DbSession, tree_id: int, methods: Mapping[GapSides, str]) -> None:
    """Keep how some gaps are to be closed, within a transaction."""
    measured = _measurement(db, tree_id)
    for (one, other), method in methods.items():
        # Asked for by letter, kept by root: a letter may change, the root does not.
        first, second = root_of(db, tree_id, one), root_of(db, tree_id, other)
        found = db.scalar(
            select(GapPlan).where(
                GapPlan.first_root_id == first.id, GapPlan.second_root_id == second.id
            )
        )
        if found is None:
            found = GapPlan(tree_id=tree_id, first_root_id=first.id, second_root_id=second.id)
            db.add(found)
        found.method, found.measurement_id = method, measured
    db.flush()


def set_regrowth(studio: Studio, tree_id: int, years: Mapping[str, int | None]) -> None:
    """Say after how many years cut roots grow back, by letter; None for one that stays away.

    Raises BadInput for years that are not 1 to 15.
    """
    if any(value is not None and not 1 <= value <= MAX_REGROWTH_YEARS for value in years.values()):
        raise BadInput("regrowth", f"a root returns after 1 to {MAX_REGROWTH_YEARS} years, or not")
    for label in years:
        _check_letter("regrowth", label)
    with studio.writing() as db:
        target = _target(db, tree_id)
        put_regrowth(db, tree_id, {**regrowth_of(db, tree_id), **years})
        target.updated_at = studio.now


def put_regrowth(db: DbSession, tree_id: int, years: Mapping[str, int | None]) -> None:
    """Keep just these roots as growing back, within a transaction."""
    db.execute(delete(Regrowth).where(Regrowth.tree_id == tree_id))
    for label, value in years.items():
        if value is not None:
            root = root_of(db, tree_id, label)
            measured = _measurement(db, tree_id)
            db.add(Regrowth(tree_id=tree_id, root_id=root.id, years=value, measurement_id=measured))
    settle_roots(db, tree_id)


def _method(name: str) -> GapMethod:
    for known in GAP_METHODS:
        if name == known:
            return known
    raise BadInput("gaps", f"'{name}' is not one of {', '.join(GAP_METHODS)}")


def _check_letter(field: str, label: str) -> None:
    if not 1 <= len(label) <= MAX_LABEL:
        raise BadInput(field, f"'{label[:MAX_LABEL]}…' names no root of this tree")


def _measurement(db: DbSession, tree_id: int) -> int | None:
    """The measurement on which the letters are read now."""
    base = measured_base(db, tree_id)
    return None if base is None else base.measurement.id


def _target(db: DbSession, tree_id: int) -> Target:
    target = db.get(Target, tree_id)
    if target is None:
        raise BadInput("hold_year", "set a target first; the rest is fixed within its plan")
    return target
