"""Years: two dates of a tree compared, letters confirmed, every root's story."""

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import FileResponse, RedirectResponse, Response

from mirvo.core.errors import BadInput
from mirvo.core.limits.measuring import HandFields
from mirvo.studio.measuring import by_hand, flat_photo
from mirvo.studio.measuring import years as use
from mirvo.studio.measuring.letters import letter_changes, put_letters_right
from mirvo.studio.measuring.same_tree import doubts_of
from mirvo.studio.standing.tree_queries import load_tree
from mirvo.studio.yard.sheet import Sheet, sheet_of
from mirvo.web.access import Role, only
from mirvo.web.drawings.wheel import draw_two_dates
from mirvo.web.drawings.years import years_charts
from mirvo.web.form_models import FormModel, OpenForm
from mirvo.web.forms import Filled, shown_again_on
from mirvo.web.reader import ASK_AGAIN, KEEP_FOR_LONG, Context, Reader, StudioDep
from mirvo.web.wording import short_day

router = APIRouter(dependencies=only(Role.HELPER))
LETTER = "letter_"
OVERLAY_PX = 440.0
SMALLEST_REACH_MM, LARGEST_REACH_MM = 10.0, 2000.0


class HandForm(HandFields, FormModel):
    """What was measured by hand, as it is filled in."""


class SameForm(FormModel):
    """Whether a photo shows this tree: yes or no."""

    same: str = "yes"


class LettersForm(OpenForm):
    """The letter of each root, by the one it bears on the photo: letter_A, letter_B, …"""

    @property
    def letters(self) -> dict[str, str]:
        return {
            name.removeprefix(LETTER): letter
            for name, letter in self.by_name.items()
            if name.startswith(LETTER)
        }


def years_page(
    reader: Reader,
    filled: Filled,
    tree_id: int,
    measurement_id: int | None = None,
    before: int | None = None,
) -> Response:
    """All years of a tree; `measurement_id` is the later of the two dates compared."""
    years = use.years_of(reader.db, tree_id, before, measurement_id)
    sheet = sheet_of(reader.db, tree_id, reader.today)
    context = {
        "tree": years.tree,
        "years": years,
        "pair": years.comparison,
        "doubts": doubts_of(reader.db, tree_id),
        "complaint": filled.errors.get("letters", ""),
        "charts": years_charts(sheet),
        "by_hand": sheet.by_hand,
        "odd_trunks": by_hand.odd_trunks(sheet.by_hand, _trunks(sheet)),
        "fields": filled.fields,
        "errors": filled.errors,
        **_drawn(years.comparison),
    }
    return reader.page("measuring/years.html", context, filled.status)


def _trunks(sheet: Sheet) -> list[tuple[date, float]]:
    return [(day, top.trunk_diameter_mm.value) for day, top in sheet.history]


@router.post("/trees/{tree_id}/by-hand")
@shown_again_on(years_page)
def add_by_hand(studio: StudioDep, tree_id: int, form: Annotated[HandForm, Form()]) -> Response:
    by_hand.add_by_hand(studio, tree_id, form)
    return RedirectResponse(f"/trees/{tree_id}/years#by-hand", 303)


@router.get("/trees/{tree_id}/years", dependencies=only(Role.GUEST))
def show_years(
    reader: Reader, tree_id: int, before: int | None = None, after: int | None = None
) -> Response:
    return years_page(reader, Filled(), tree_id, after, before)


@router.post("/trees/{tree_id}/years/{measurement_id}")
@shown_again_on(years_page)
def confirm(
    studio: StudioDep, tree_id: int, measurement_id: int, form: Annotated[LettersForm, Form()]
) -> Response:
    use.confirm(studio, tree_id, measurement_id, form.letters)
    return RedirectResponse(f"/trees/{tree_id}/years?after={measurement_id}", 303)


class CorrectedLetters(LettersForm):
    """Other letters for roots of a photo; onward : on all later photos too."""

    onward: str = ""


@router.post("/trees/{tree_id}/years/{measurement_id}/letters/preview")
@shown_again_on(years_page)
def preview_letters(
    reader: Reader, tree_id: int, measurement_id: int, form: Annotated[CorrectedLetters, Form()]
) -> Response:
    """What other letters would change, before anything does."""
    onward = bool(form.onward)
    changes = letter_changes(reader.db, tree_id, measurement_id, form.letters, onward)
    context = {
        "tree": load_tree(reader.db, tree_id),
        "measurement_id": measurement_id,
        "changes": changes,
        "letters": form.letters,
        "onward": onward,
    }
    return reader.page("measuring/letters.html", context)


@router.post("/trees/{tree_id}/years/{measurement_id}/letters")
@shown_again_on(years_page)
def correct_letters(
    studio: StudioDep, tree_id: int, measurement_id: int, form: Annotated[CorrectedLetters, Form()]
) -> Response:
    put_letters_right(studio, tree_id, measurement_id, form.letters, bool(form.onward))
    return RedirectResponse(f"/trees/{tree_id}/years?after={measurement_id}", 303)


@router.post("/trees/{tree_id}/same-tree/{measurement_id}")
def same_tree(
    studio: StudioDep, tree_id: int, measurement_id: int, form: Annotated[SameForm, Form()]
) -> Response:
    use.say_same_tree(studio, tree_id, measurement_id, form.same == "yes")
    return RedirectResponse(f"/trees/{tree_id}/years", 303)


@router.get("/measurements/{measurement_id}/plan.jpg", dependencies=only(Role.GUEST))
def plan_photo(
    reader: Reader, measurement_id: int, turn: float = 0.0, reach: float = 150.0
) -> Response:
    # Whatever the address says, no picture of the whole yard is made.
    if not (SMALLEST_REACH_MM <= reach <= LARGEST_REACH_MM and -360 <= turn <= 360):
        raise BadInput("reach", "must be from 10 to 2000 mm")
    content = flat_photo.plan_photo(reader.db, reader.studio, measurement_id, turn, reach)
    return Response(content, media_type="image/jpeg")


@router.get("/measurements/{measurement_id}/base.jpg", dependencies=only(Role.GUEST))
def base_photo(reader: Reader, measurement_id: int, v: str = "") -> FileResponse:
    path = flat_photo.base_photo(reader.db, reader.studio, measurement_id)
    # An address that says when the marks were kept never changes what it shows.
    headers = KEEP_FOR_LONG if v else ASK_AGAIN
    return FileResponse(path, media_type="image/jpeg", headers=headers)


def _drawn(pair: use.Comparison | None) -> Context:
    if pair is None:
        return {"overlay": None, "reach": 0}
    title = f"{short_day(pair.before.measured_on)} dashed upon {short_day(pair.after.measured_on)}"
    # Both years to one scale.
    reach = max(pair.old.frame_mm, pair.new.frame_mm)
    return {
        "overlay": draw_two_dates(pair.old, pair.new, pair.match.turn_deg, OVERLAY_PX, title),
        "reach": round(reach),
    }
