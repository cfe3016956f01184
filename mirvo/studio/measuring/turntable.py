"""Side views taken all round a tree at once, by the simulated turntable."""

from __future__ import annotations

from mirvo.core.measure.drafts import CalibrationDraft, blank_draft
from mirvo.studio.context import Studio
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.simulated import take_turntable


def shoot_turntable(studio: Studio, tree_id: int) -> int:
    """Take eight simulated side views, their turns entered; the first photo's number."""
    taken = take_turntable(studio, tree_id)
    for photo, turn in taken:
        card = {"calibration": CalibrationDraft(kind="card"), "turntable_deg": turn}
        marks = blank_draft("side").model_copy(update=card)
        save_marks(studio, photo.id, marks.as_json(), 0)
    return taken[0][0].id
