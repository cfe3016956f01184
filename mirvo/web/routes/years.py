"""Years: two dates of a tree compared, letters confirmed, every root's story."""

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from mirvo.core.errors import BadInput
from mirvo.studio import years as use
from mirvo.studio.sheet import sheet_of
from mirvo.web.drawings.wheel import draw_two_dates, wheel_reach_mm
from mirvo.web.drawings.years import years_charts
from mirvo.web.pages import page, routes, short_day, studio_of

router = routes()
LETTER = "letter_"


@router.get("/trees/{tree_id}/years")
def show_years(
    request: Request, tree_id: int, before: int | None = None, after: int | None = None
) -> HTMLResponse:
    return _page(request, tree_id, before, after)


@router.post("/trees/{tree_id}/years/{measurement_id}")
async def confirm(request: Request, tree_id: int, measurement_id: int) -> Response:
    form = await request.form()
    letters = {
        name.removeprefix(LETTER): str(value).strip()
        for name, value in form.items()
        if name.startswith(LETTER)
    }
    return await run_in_threadpool(_confirm, request, tree_id, measurement_id, letters)


def _confirm(
    request: Request, tree_id: int, measurement_id: int, letters: dict[str, str]
) -> Response:
    try:
        use.confirm(studio_of(request), tree_id, measurement_id, letters)
    except BadInput as error:
        if error.field != "letters":
            raise
        return _page(request, tree_id, None, measurement_id, error.message, 422)
    return RedirectResponse(f"/trees/{tree_id}/years?after={measurement_id}", 303)


@router.get("/measurements/{measurement_id}/plan.jpg")
def plan_photo(
    request: Request, measurement_id: int, turn: float = 0.0, reach: float = 150.0
) -> Response:
    if not (10 <= reach <= 2000 and -360 <= turn <= 360):
        raise BadInput("reach", "must be from 10 to 2000 mm")
    content = use.plan_photo(studio_of(request), measurement_id, turn, reach)
    return Response(content, media_type="image/jpeg")


def _page(
    request: Request,
    tree_id: int,
    before: int | None,
    after: int | None,
    complaint: str = "",
    status: int = 200,
) -> HTMLResponse:
    studio = studio_of(request)
    years = use.years_of(studio, tree_id, before, after)
    context = {
        "tree": years.tree,
        "years": years,
        "pair": years.comparison,
        "complaint": complaint,
        "charts": years_charts(sheet_of(studio, tree_id)),
        **_drawn(years.comparison),
    }
    return page(request, "years/years.html", context, status)


def _drawn(pair: use.Comparison | None) -> dict[str, object]:
    if pair is None:
        return {"overlay": None, "reach": 0}
    old, new = pair.before.figures or {}, pair.after.figures or {}
    title = f"{short_day(pair.before.measured_on)} dashed upon {short_day(pair.after.measured_on)}"
    reach = max(wheel_reach_mm(old), wheel_reach_mm(new))
    return {
        "overlay": draw_two_dates(old, new, pair.match.turn_deg, 440.0, title),
        "reach": round(reach),
    }
