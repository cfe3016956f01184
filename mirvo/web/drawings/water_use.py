"""Water use after root work, as part of what is usual."""

from __future__ import annotations

from mirvo.core.care.water_use import BACK_FROM, Drinking
from mirvo.web.drawings.scene import Scene

WIDTH_PX, HEIGHT_PX = 420.0, 150.0
LEFT, TOP, BOTTOM = 44.0, 12.0, 118.0
# Above one and a half times the usual the curve says nothing more.
MOST = 1.5
WEEK_DAYS = 7


def draw_water_use(drinking: Drinking) -> Scene:
    """A point a use over the weeks since the work; the usual, and where it counts as back."""
    longest = max(WEEK_DAYS, max(days for days, _ in drinking.points))
    last = drinking.points[-1]
    said = f"{last[1]:.0%} of its usual {last[0]} days after root work."
    scene = Scene("water-use", WIDTH_PX, HEIGHT_PX, "Water use since root work", said)

    def x(days: float) -> float:
        return LEFT + (WIDTH_PX - LEFT - 8) * days / longest

    def y(part: float) -> float:
        return BOTTOM - (BOTTOM - TOP) * min(part, MOST) / MOST

    for part in (0.0, 0.5, 1.0, 1.5):
        scene.line((LEFT, y(part)), (WIDTH_PX - 8, y(part)), "axis" if part == 0 else "month-line")
        scene.write((LEFT - 6, y(part) + 4), f"{part:.0%}", "small", "end")
    scene.line((LEFT, y(BACK_FROM)), (WIDTH_PX - 8, y(BACK_FROM)), "target-line")
    path = " ".join(
        f"{'M' if place == 0 else 'L'}{x(days):.1f} {y(part):.1f}"
        for place, (days, part) in enumerate(drinking.points)
    )
    scene.curve(path, "measured-line")
    for days, part in drinking.points:
        scene.circle((x(days), y(part)), 3.0, "measured-point")
    weeks = longest // WEEK_DAYS
    step = max(1, round(weeks / 5))
    for week in range(0, weeks + 1, step):
        scene.write((x(week * WEEK_DAYS), BOTTOM + 16), f"{week}", "small", "middle")
    scene.write((WIDTH_PX - 8, HEIGHT_PX - 3), "weeks since root work", "small", "end")
    return scene
