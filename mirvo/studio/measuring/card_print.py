"""How true the studio's own card was printed: asked once, kept, and counted in every photo."""

from __future__ import annotations

from sqlalchemy import select

from mirvo.records.models import Measurement
from mirvo.studio.ground.context import Studio
from mirvo.studio.ground.settings import put_yard, yard_of

# Below any version there ever was: to be worked out anew.
NOT_OF_THIS_CARD = 0


def put_card_line(studio: Studio, card_line_mm: float | None) -> None:
    """Keep what the check line measures; measurements by the card are worked out anew."""
    with studio.writing() as db:
        if yard_of(db).card_line_mm == card_line_mm:
            return
        put_yard(db, card_line_mm=card_line_mm)
        for row in db.scalars(select(Measurement).where(Measurement.kept())):
            calibration = row.marks.calibration
            if calibration is not None and calibration.kind == "card":
                row.figures_version = NOT_OF_THIS_CARD
