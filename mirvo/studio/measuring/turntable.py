"""Side views taken all round a tree at once, by the simulated turntable."""

from __future__ import annotations

from mirvo.core.measure.drafts import CalibrationDraft, blank_draft
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.jobs import Report, unwatched
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.shots import turntable
from mirvo.studio.photos.simulated import take


def shoot_turntable(studio: Studio, tree_id: int, report: Report = unwatched) -> int:
    """Take eight simulated side views, their turns entered; the first photo's number."""
    taken = take(studio, tree_id, turntable, report)
    for photo, shot in taken:
        card = {"calibration": CalibrationDraft(kind="card"), "turntable_deg": shot.turn_deg}
        marks = blank_draft("side").model_copy(update=card)
        save_marks(studio, photo.id, marks.as_json(), 0)
    return taken[0][0].id
