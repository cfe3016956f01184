"""The three paths over the years, one row each: sessions, arrival, and the chance by year."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import sqrt

from mirvo.core.plan.records import PlannedPath
from mirvo.web.drawings.scene import Scene

WIDTH_PX, PHONE_PX, ROW_PX, TOP_PX = 760.0, 360.0, 66.0, 26.0
# On the right there is room for the flag of a path that arrives in the last year, and its words.
LEFT_PX, RIGHT_PX = 74.0, 60.0
MAX_RADIUS_PX, MIN_RADIUS_PX = 11.0, 4.0
BAR_PX, BAR_SHARE, MOST_BAR_PX = 16.0, 0.7, 10.0
# So far apart stand numbers of years, and shares over their discs, that none touches another.
APART_PX = 31.0
LINE_PX = 17.0
# Where in its year a session and an arrival are drawn.
SPRING, YEAR_END = 0.25, 0.95


def draw_three_paths(
    paths: Sequence[tuple[str, PlannedPath]],
    first: int,
    horizon: int,
    wished: int | None,
    width: float = WIDTH_PX,
) -> Scene:
    """Paths under their names on one axis of years, from the year after `first`; width : in px.

    A session is a disc whose area is its share of the feeding root, an arrival a flag with its
    chance; the description says the same in words.
    """
    last = first + horizon
    # The last year is drawn whole: a path may arrive at its end.
    span = horizon + 1
    height = TOP_PX + ROW_PX * len(paths) + 26
    key = "three-paths" if width == WIDTH_PX else "three-paths-phone"
    scene = Scene(key, width, height, "Paths over the years")
    scene.description = " ".join(_words(name, path) for name, path in paths)

    def at(year: float) -> float:
        return LEFT_PX + (year - first) / span * (width - LEFT_PX - RIGHT_PX)

    step = next(years for years in (1, 2, 4, 5, 10, span) if at(years) - at(0) >= APART_PX)
    for year in range(first, last + 2, step):
        scene.line((at(year), TOP_PX - 4), (at(year), height - 26), "year-rule")
        scene.write((at(year), height - 8), str(year), "small", "middle")
    if wished is not None and first <= wished <= last:
        x = at(wished + YEAR_END)
        scene.line((x, TOP_PX - 8), (x, height - 26), "target-line")
        scene.write((x, TOP_PX - 12), "wished", "small", "middle")
    for row, (name, path) in enumerate(paths):
        y = TOP_PX + row * ROW_PX + ROW_PX / 2 - 6
        # Schools that agree share a row, one below the other.
        lines = name.replace(" and ", ", ").split(", ")
        for line, school in enumerate(lines):
            at_y = y + 5 + LINE_PX * (line - (len(lines) - 1) / 2)
            scene.write((4, at_y), school, "path-label")
        _row(scene, path, at, y)
    return scene


def _row(scene: Scene, path: PlannedPath, at: Callable[[float], float], y: float) -> None:
    reached, years = path.reached_year, [step.year for step in path.steps]
    end = reached if reached is not None else max(years, default=0)
    if end:
        start = min(years, default=end)
        scene.line((at(start + SPRING), y), (at(end + YEAR_END), y), "path-line")
    wide = min(MOST_BAR_PX, BAR_SHARE * (at(1) - at(0)))
    for year, chance in path.chance_by_year.items():
        x, tall = at(year + 0.5) - wide / 2, chance * BAR_PX
        scene.rect((x, y + 14), (wide, BAR_PX), "chance-frame")
        scene.rect((x, y + 14 + BAR_PX - tall), (wide, tall), "chance-bar")
    said_at = -APART_PX
    for step in path.steps:
        # By area, because the eye compares areas; 60 % fills the largest disc.
        radius = max(MIN_RADIUS_PX, MAX_RADIUS_PX * sqrt(min(1.0, step.share / 0.6)))
        x = at(step.year + SPRING)
        scene.circle((x, y), radius, "session-disc")
        if x - said_at >= APART_PX:
            scene.write((x, y - 15), f"{step.share * 100:.0f}%", "small", "middle")
            said_at = x
    if reached is None:
        scene.write((scene.width - RIGHT_PX, y + 5), "out of reach", "path-lost", "end")
        return
    x = at(reached + YEAR_END)
    scene.path([(x, y + 8), (x, y - 20), (x + 14, y - 15), (x, y - 10)], "arrival-flag")
    likely = path.chance_when_reached
    if likely is not None:
        scene.write((x + 19, y - 8), f"{likely * 100:.0f}%", "chance-words")


def _words(name: str, path: PlannedPath) -> str:
    years = ", ".join(f"{step.year} with {step.share * 100:.0f}%" for step in path.steps)
    reached = path.reached_year
    end = "out of reach" if reached is None else f"there in {reached}"
    return f"{name}: sessions in {years or 'no year'}, {end}."
