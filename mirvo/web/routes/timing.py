"""Is it time? Toggles for what is seen, and the verdict beside them."""

from fastapi import Request
from fastapi.responses import HTMLResponse

from mirvo.studio.timing import SEEN_TODAY, is_it_time
from mirvo.studio.trees import get_tree
from mirvo.web.pages import page, routes, studio_of

router = routes()


@router.get("/trees/{tree_id}/time")
def show(request: Request, tree_id: int) -> HTMLResponse:
    studio = studio_of(request)
    sent = request.query_params
    seen = {name: name in sent for name in SEEN_TODAY}
    days = sent.get("days_between", "").replace(",", ".")
    told = float(days) if days.replace(".", "", 1).isdigit() else None
    evidence, verdict = is_it_time(studio, tree_id, seen, told)
    context = {
        "tree": get_tree(studio, tree_id),
        "seen": seen,
        "days": days,
        "days_wrong": bool(days) and told is None,
        "evidence": evidence,
        "verdict": verdict,
    }
    part = request.headers.get("hx-request") == "true"
    return page(request, "trees/_verdict.html" if part else "trees/time.html", context)
