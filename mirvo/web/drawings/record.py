"""A session in two drawings: the base with what went hatched, the ball before and after."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.studio.records.record import Record
from mirvo.web.drawings.scene import Scene, nice_scale
from mirvo.web.drawings.wheel import RIM_ROOM_PX, WheelView, add_wheel, describe
from mirvo.web.lengths import sizes_text

WHEEL_PX, SECTION_PX = 340.0, 366.0
EDGE_PX, STEM_PX, WORDS_PX, BAR_PX = 8.0, 34.0, 30.0, 26.0
# Without a measured trunk the drawing has no stem; a ball says enough.
STEM_ABOVE_SHARE = 0.9


@dataclass(frozen=True)
class Ball:
    """A root ball from the side, mm."""

    length: float
    depth: float


def draw_record_wheel(record: Record) -> Scene | None:
    """The base it was worked on with what went hatched; None where no base had been measured."""
    if record.base is None:
        return None
    measured = record.base.record
    reach = measured.frame_mm
    scale = (WHEEL_PX / 2 - RIM_ROOM_PX) / reach
    went = ", ".join(record.cut) or "none"
    title = f"The base with what went hatched: {went}; front at 6 o'clock"
    scene = Scene("record-wheel", WHEEL_PX, WHEEL_PX, title, describe(measured))
    noted = record.session.notes.get("old_soil_hours")
    hours = tuple(noted) if isinstance(noted, list) else ()
    view = WheelView(
        (WHEEL_PX / 2, WHEEL_PX / 2), scale, reach * scale, record.cut, old_soil_hours=hours
    )
    add_wheel(scene, measured, view)
    return scene


def draw_record_section(record: Record) -> Scene | None:
    """The ball before, and below it as it was left, to one scale; None where that is not known."""
    session = record.session
    before = _ball(session.ball_length_before, session.ball_depth_before)
    after = _ball(session.ball_length_after, session.ball_depth_after)
    if after is None:
        return None
    pot = _ball(session.pot_length_mm, session.pot_depth_mm)
    shown = [ball for ball in (before, after, pot) if ball is not None]
    longest, deepest = (max(getattr(ball, side) for ball in shown) for side in ("length", "depth"))
    scale = nice_scale(longest, SECTION_PX - 2 * EDGE_PX)
    tall = STEM_PX + deepest * scale + WORDS_PX
    height = EDGE_PX + tall * (1 if before is None else 2) + BAR_PX
    title = "The ball after the session" if before is None else "The ball before and after"
    words = f"{sizes_text(after.length, after.depth)} after"
    if before is not None:
        words = f"{sizes_text(before.length, before.depth)} before, {words}"
    scene = Scene("record-section", SECTION_PX, height, title, words)
    x, soil = SECTION_PX / 2, EDGE_PX + STEM_PX
    if before is not None:
        _draw_ball(scene, record, before, (x, soil), scale)
        taken = min(session.slice_mm, before.depth)
        if taken > 0:
            _slice(scene, before, taken, (x, soil), scale)
        _words(scene, "before", before, (x, soil + before.depth * scale))
        soil += tall
    _draw_ball(scene, record, after, (x, soil), scale)
    if pot is not None:
        half, floor = pot.length / 2 * scale, soil + pot.depth * scale
        walls = [(x - half, soil - 6), (x - half, floor), (x + half, floor), (x + half, soil - 6)]
        scene.path(walls, "pot")
    _words(scene, "after", after, (x, soil + max(after.depth, pot.depth if pot else 0.0) * scale))
    low = height - 8
    scene.scale_bar((8, low), scale)
    return scene


def _ball(length: float | None, depth: float | None) -> Ball | None:
    return Ball(length, depth) if length and depth else None


def _draw_ball(
    scene: Scene,
    record: Record,
    ball: Ball,
    at: tuple[float, float],
    scale: float,
) -> None:
    x, soil = at
    half, low = ball.length / 2 * scale, soil + ball.depth * scale
    scene.rect((x - half, soil), (2 * half, low - soil), "soil")
    scene.path([(x - half, soil), (x - half, low), (x + half, low), (x + half, soil)], "stratum")
    if record.trunk_mm is not None:
        stem = record.trunk_mm / 2 * scale
        top = soil - STEM_PX * STEM_ABOVE_SHARE
        corners = [(x - stem, top), (x + stem, top), (x + stem, soil), (x - stem, soil)]
        scene.path(corners, "stem", closed=True)
    scene.line((x - half - 6, soil), (x + half + 6, soil), "soil-line")


def _words(scene: Scene, when: str, ball: Ball, at: tuple[float, float]) -> None:
    words = f"{when}: {sizes_text(ball.length, ball.depth)}"
    scene.write((at[0], at[1] + 17), words, "done-words", "middle")


def _slice(scene: Scene, ball: Ball, taken: float, at: tuple[float, float], scale: float) -> None:
    """What came off the underside, hatched."""
    x, soil = at
    half, low = ball.length / 2 * scale, soil + ball.depth * scale
    top = low - taken * scale
    corners = [(x - half, top), (x + half, top), (x + half, low), (x - half, low)]
    scene.path(corners, "root-cut", closed=True)
