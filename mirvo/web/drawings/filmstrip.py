"""A path as a filmstrip: the tree as it stands, and after each session to come, to one scale."""

from __future__ import annotations

from dataclasses import dataclass

from mirvo.core.plan.case import FINAL
from mirvo.core.plan.records import PlannedPath, PlannedStep, YearForecast
from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Scene, nice_scale
from mirvo.web.drawings.sheet import ground_of
from mirvo.web.lengths import length_text

FRAME_PX, STEM_PX, TOP_PX, WORDS_PX, EDGE_PX = 172.0, 26.0, 24.0, 54.0, 10.0
# Longer paths than this are told by their steps below; a strip of thumbnails shows nothing.
MOST_FRAMES = 8
# Of a ball nobody measured the strip shows so many trunks.
LENGTH_TRUNKS = 4.0


@dataclass(frozen=True)
class Frame:
    """The ground half at one time, mm; taken_mm : what comes off the underside then."""

    when: str
    trunk: float
    flare: float
    ball: float
    woody: float | None
    taken_mm: float
    words: tuple[str, ...]


def frames_of(sheet: Sheet, path: PlannedPath) -> list[Frame]:
    """Today, every session of a path, and its arrival."""
    ground = ground_of(sheet, None)
    by_year = {one.year: one for one in path.forecast}
    found = []
    if ground.ball_mm is not None and ground.trunk_known:
        trunk, flare, ball = ground.trunk_mm, ground.spread_mm, ground.ball_mm
        found.append(Frame("today", trunk, flare, ball, ground.woody_mm, 0, ()))
    for step in path.steps:
        if step.year in by_year:
            found.append(_after(step, by_year[step.year]))
    arrival = by_year.get(path.reached_year or 0)
    if arrival is not None and (not path.steps or arrival.year > path.steps[-1].year):
        words = ("there: " + f"{arrival.spread_ratio:.2f} trunks",)
        found.append(
            Frame(
                f"end of {arrival.year}", arrival.trunk_diameter_mm, arrival.spread_mm,
                arrival.ball_depth_mm, arrival.woody_depth_mm, 0, words,
            )
        )  # fmt: skip
    return found[:MOST_FRAMES]


def _after(step: PlannedStep, end: YearForecast) -> Frame:
    done = [f"cut {', '.join(step.faults)}"] if step.faults else []
    if step.grafts:
        done.append("graft")
    into = "into the show pot" if step.container == FINAL else step.into
    return Frame(
        str(step.year), end.trunk_diameter_mm, end.spread_mm, step.ball_depth_mm[1],
        step.woody_depth_mm[1], step.slice_mm, (", ".join(done) or "comb the edge", into),
    )  # fmt: skip


def draw_filmstrip(sheet: Sheet, path: PlannedPath) -> Scene | None:
    """Frames side by side; None where fewer than two can be drawn."""
    frames = frames_of(sheet, path)
    if len(frames) < 2:
        return None
    longest = max(max(frame.flare, LENGTH_TRUNKS * frame.trunk) for frame in frames)
    deepest = max(frame.ball + frame.taken_mm for frame in frames)
    scale = nice_scale(longest, FRAME_PX - 2 * EDGE_PX)
    soil = TOP_PX + STEM_PX
    height = soil + deepest * scale + WORDS_PX
    scene = Scene("filmstrip", FRAME_PX * len(frames), height, "The path, session by session")
    scene.description = "; ".join(
        f"{frame.when}: ball {length_text(frame.ball)} deep, flare {length_text(frame.flare)}"
        for frame in frames
    )
    for number, frame in enumerate(frames):
        _draw(scene, frame, FRAME_PX * number, (longest, deepest), scale)
    return scene


def _draw(scene: Scene, frame: Frame, left: float, size: tuple[float, float], scale: float) -> None:
    (longest, deepest), x, soil = size, left + FRAME_PX / 2, TOP_PX + STEM_PX
    half, low = longest / 2 * scale, soil + frame.ball * scale
    if left:
        scene.line((left, TOP_PX - 8), (left, scene.height - 6), "year-rule")
    scene.write((x, TOP_PX - 8), frame.when, "path-label", "middle")
    scene.rect((x - half, soil), (2 * half, low - soil), "soil")
    if frame.taken_mm:
        bottom = low + frame.taken_mm * scale
        corners = [(x - half, low), (x + half, low), (x + half, bottom), (x - half, bottom)]
        scene.path(corners, "root-cut", closed=True)
    trunk, flare = frame.trunk / 2 * scale, frame.flare / 2 * scale
    top, knee = soil - STEM_PX, soil - STEM_PX / 2
    stem = [(x - trunk, top), (x + trunk, top), (x + trunk, knee), (x + flare, soil)]
    scene.path([*stem, (x - flare, soil), (x - trunk, knee)], "stem", closed=True)
    if frame.woody:
        deep = soil + min(frame.woody, frame.ball) * scale
        wood = [(x - flare, soil), (x + flare, soil), (x + flare / 4, deep), (x - flare / 4, deep)]
        scene.path(wood, "wood", closed=True)
    scene.line((x - half - 4, soil), (x + half + 4, soil), "soil-line")
    scene.line((x - half, low), (x + half, low), "stratum")
    scene.write((x + half, low - 4), length_text(frame.ball), "done-words", "end")
    at = soil + deepest * scale + 18
    for words in frame.words:
        scene.write((x, at), words, "small", "middle")
        at += 14
