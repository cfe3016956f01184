"""Two sets of decisions side by side in a chosen year."""

from collections.abc import Mapping
from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import Response
from starlette.datastructures import QueryParams

from mirvo.core.almanac.loader import SCHOOLS
from mirvo.core.errors import BadInput
from mirvo.core.lengths import MM, read_length
from mirvo.core.typed_values import read_number, read_whole
from mirvo.studio.bench_session.session import bench_state, running_session
from mirvo.studio.ground.settings import yard_of
from mirvo.studio.path.compare import DecidedPath, Decisions, compare_decisions
from mirvo.studio.standing.tree_queries import (
    load_tree,
    measured_base,
    newest_plan,
    target_of,
)
from mirvo.text.compare import Outcome, comparison_in_short
from mirvo.web.access import Role, only
from mirvo.web.drawings.base_then import draw_bases
from mirvo.web.form_models import UNITS_FIELD
from mirvo.web.reader import PageReader, Reader

router = APIRouter(dependencies=only(Role.HELPER))
# Where the cuts of the first session come from.
PLANNED, MARKED, LISTED = "planned", "marked", "listed"
NUMBERS = ("spread_ratio", "largest_gap_deg", "pot_depth_mm")
NAMES = ("A", "B")
NOT_A_NUMBER = "Please give a number, or nothing to keep the tree's own target."


@dataclass(frozen=True)
class SideForm:
    """One side as it was asked for: school, where its cuts come from, roots, target figures."""

    school: str
    cuts: str
    roots: tuple[str, ...]
    target: Mapping[str, str]

    @property
    def figures(self) -> dict[str, float]:
        """The target's figures as numbers. Raises BadInput, named by the figure."""
        found = {}
        for name, typed in self.target.items():
            value = read_length(typed) if name == "pot_depth_mm" else read_number(typed)
            if value is None:
                raise BadInput(name, NOT_A_NUMBER)
            found[name] = value
        return found


@router.get("/trees/{tree_id}/compare")
def compare(reader: Reader, tree_id: int) -> Response:
    query = reader.request.query_params
    tree, base = load_tree(reader.db, tree_id), measured_base(reader.db, tree_id)
    marked = _marked(reader, tree_id)
    own = yard_of(reader.db).school
    first = _side(query, "a", own, PLANNED)
    second = _side(query, "b", *_beside(reader, tree_id, own, marked is not None))
    context = {
        "tree": tree,
        "asked": {"a": first, "b": second},
        "schools": SCHOOLS,
        "marked": marked is not None,
        "roots": () if base is None else tuple(root.label for root in base.roots),
        "target": target_of(reader.db, tree_id),
        "found": None,
        "problem": None,
    }
    try:
        decided = _decided(first, marked), _decided(second, marked)
        found = compare_decisions(
            reader.db, tree_id, decided, read_whole(query.get("year", "")), reader.today
        )
    except BadInput as error:
        return reader.page("path/compare.html", {**context, "problem": error})
    context |= {
        "found": found,
        "in_short": comparison_in_short(found.year, *map(_outcome, found.sides)),
        "drawings": draw_bases(found),
    }
    return reader.page("path/compare.html", context)


def _beside(reader: PageReader, tree_id: int, own: str, marked: bool) -> tuple[str, str]:
    """What stands beside the plan unasked, school and cuts: what is marked at the bench, else a
    school that goes another way, else the plan with no root cut in its first session."""
    if marked:
        return own, MARKED
    plan = newest_plan(reader.db, tree_id)
    paths = () if plan is None or plan.result is None else plan.result.paths
    mine = next((path for path in paths if path.school == own), None)
    others = [path.school for path in paths if mine is not None and not path.same_as(mine)]
    return (others[-1], PLANNED) if others else (own, LISTED)


def _side(query: QueryParams, key: str, school: str, cuts: str) -> SideForm:
    """One side of the address; what it does not say is as given."""
    asked = query.get(f"{key}_school", "")
    chosen = query.get(f"{key}_cuts", "")
    bare = query.get(UNITS_FIELD, MM)
    target = {}
    for name in NUMBERS:
        typed = query.get(f"{key}_{name}", "").strip()
        if typed and name == "pot_depth_mm":
            length = read_length(typed, bare)
            typed = typed if length is None else f"{length:g}"
        if typed:
            target[name] = typed
    return SideForm(
        asked if asked in SCHOOLS else school,
        chosen if chosen in (PLANNED, MARKED, LISTED) else cuts,
        tuple(query.getlist(f"{key}_root")),
        target,
    )


def _outcome(side: DecidedPath) -> Outcome:
    ratio = None if side.forecast is None else side.forecast.spread_ratio
    return Outcome(side.path.likely_year, side.chance, ratio, side.total_strain)


def _marked(reader: PageReader, tree_id: int) -> dict[str, float] | None:
    """Part of each root that goes as marked at the bench; None where no session is open."""
    bench = running_session(reader.db, tree_id)
    if bench is None:
        return None
    decided = bench_state(reader.db, bench.id).decisions
    return {label: one.cost for label, one in decided.items() if one.cost > 0}


def _decided(side: SideForm, marked: Mapping[str, float] | None) -> Decisions:
    """Raises BadInput where a side cannot be decided so."""
    cuts: Mapping[str, float] | None = None
    if side.cuts == MARKED:
        if marked is None:
            raise BadInput("cuts", "No session is open, so no cuts are marked at the bench.")
        cuts = marked
    elif side.cuts == LISTED:
        cuts = dict.fromkeys(side.roots, 1.0)
    return Decisions(side.school, cuts, side.figures)
