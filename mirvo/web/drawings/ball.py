"""The ball in section, to scale: what is taken off its underside, and how deep wood reaches."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mirvo.web.drawings.scene import Scene
from mirvo.web.lengths import length_text

ROOM_PX = 46.0
# A thin ball still needs room for its words.
MIN_HEIGHT_PX = 90.0
WORDS_PX = 13.0


def draw_ball(answers: Mapping[str, Any], width_px: float) -> Scene | None:
    """Ball with slice and woody depth, below the root plane; None before it is measured.

    answers : what was entered at the bench, lengths in mm.
    """
    length, depth = answers.get("ball_length_before"), answers.get("ball_depth_before")
    if not length or not depth:
        return None
    scale = min((width_px - 2 * ROOM_PX) / length, 160.0 / depth)
    left, top = (width_px - length * scale) / 2, 26.0
    height = max(MIN_HEIGHT_PX, top + depth * scale + 24)
    # What is entered may be more than there is; the drawing ends at the ball's top.
    cut = min(float(answers.get("slice_mm") or 0.0), depth)
    after = answers.get("ball_length_after") or length
    text = (
        f"Ball {length_text(length)} long, {length_text(depth)} deep; "
        f"{length_text(cut)} off the underside."
    )
    scene = Scene("ball", width_px, height, "The ball in section", text)
    scene.rect((left, top), (length * scale, depth * scale), "soil")
    scene.rect((left, top), (length * scale, depth * scale), "bar")
    scene.line((left - 30, top), (left + length * scale + 30, top), "soil-line")
    scene.write((left - 30, top - 6), "root plane", "small")
    low = top + (depth - cut) * scale
    if cut:
        scene.rect((left, low), (length * scale, cut * scale), "root-cut")
        scene.write((left + 6, low + cut * scale - 5), f"{length_text(cut)} off", "gap-words")
    if after < length:
        # A trim is taken from both ends alike.
        trim = (length - after) / 2 * scale
        for x in (left, left + length * scale - trim):
            scene.rect((x, top), (trim, low - top), "root-cut")
    wood = answers.get("woody_depth_mm")
    if wood:
        y = top + wood * scale
        scene.line((left, y), (left + length * scale, y), "stratum")
        scene.write((left + 6, y - 5), f"wood to {length_text(wood)}", "done-words")
    scene.write(
        (left + length * scale + 6, top + WORDS_PX),
        length_text(depth - cut),
        "small",
    )
    return scene
