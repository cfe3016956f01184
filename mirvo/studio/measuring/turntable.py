"""Side views taken all round a tree at once, by the simulated turntable."""

from __future__ import annotations

from collections.abc import Iterator

from mirvo.core.measure.drafts import CalibrationDraft, blank_draft
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.vision_worker import Answer, Refusal, Stage
from mirvo.studio.measuring.desk import save_marks
from mirvo.studio.photos.shots import turntable
from mirvo.studio.photos.simulated import take


def shoot_turntable(studio: Studio, tree_id: int) -> Iterator[Stage | Answer[int] | Refusal]:
    """Take eight simulated side views, their turns entered; at last the first photo's number."""
    for message in take(studio, tree_id, turntable):
        if not isinstance(message, Answer):
            yield message
            continue
        for photo, shot in message.result:
            card = {"calibration": CalibrationDraft(kind="card"), "turntable_deg": shot.turn_deg}
            marks = blank_draft("side").model_copy(update=card)
            save_marks(studio, photo.id, marks.as_json(), 0)
        yield Answer(message.result[0][0].id)
