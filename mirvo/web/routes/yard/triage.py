"""Is it time? Toggles for what is seen, and the verdict beside them."""

from fastapi import APIRouter
from fastapi.responses import Response

from mirvo.core.typed_values import read_number
from mirvo.studio.tree_queries import load_tree
from mirvo.studio.yard.triage import SEEN_TODAY, is_it_time
from mirvo.web.access import Role, only
from mirvo.web.reader import Reader

router = APIRouter(dependencies=only(Role.HELPER))


@router.get("/trees/{tree_id}/time", dependencies=only(Role.GUEST))
def show(reader: Reader, tree_id: int) -> Response:
    sent = reader.request.query_params
    seen = {name: name in sent for name in SEEN_TODAY}
    days = sent.get("days_between", "")
    given = read_number(days)
    stands, looked, verdict = is_it_time(reader.db, reader.today, tree_id, seen, given)
    context = {
        "tree": load_tree(reader.db, tree_id),
        "seen": seen,
        "days": days,
        "days_wrong": bool(days) and given is None,
        "stands": stands,
        "standing": stands.standing,
        "looked": looked,
        "verdict": verdict,
    }
    template = "yard/_verdict.html" if reader.wants_part else "yard/triage.html"
    return reader.page(template, context)
