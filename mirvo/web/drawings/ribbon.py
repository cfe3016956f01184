"""The season ribbon: the weeks of the year, the window, today."""

from __future__ import annotations

from datetime import date

from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Scene

WIDTH_PX = 420.0
FROST_DRAWN_FROM = 0.15
MONTHS = "JFMAMJJASOND"


def season_ribbon(sheet: Sheet) -> Scene:
    """52 weeks with the window of the next session, the weeks of frost, today."""
    window, today = sheet.window, sheet.today
    scene = Scene(
        "ribbon",
        WIDTH_PX,
        56,
        f"Season {window.year}",
        f"Window from {window.start:%d %B} to {window.end:%d %B %Y}.",
    )
    start, end = _week(window.start), _week(window.end)
    for week in range(52):
        role = "week-frost" if sheet.frosty[week] >= FROST_DRAWN_FROM else "week"
        role = "week-open" if start <= week <= end else role
        scene.rect((week * WIDTH_PX / 52, 18), (WIDTH_PX / 52 - 1, 15), role)
    for index, letter in enumerate(MONTHS):
        scene.write((index * WIDTH_PX / 12 + 4, 50), letter, "small")
    first, last = window.start, window.end
    text = f"window {first.day} {first:%b} to {last.day} {last:%b %Y}"
    scene.write((max(0.0, start * WIDTH_PX / 52), 12), text, "small")
    x = _week(today) * WIDTH_PX / 52
    scene.line((x, 14), (x, 36), "today")
    anchor = "end" if x > WIDTH_PX - 40 else "middle"
    scene.write(
        (min(x, WIDTH_PX - 2), 12) if abs(x - start * WIDTH_PX / 52 - 70) > 100 else (x, 48),
        "today",
        "small",
        anchor,
    )
    return scene


def _week(day: date) -> int:
    return min(51, (day.timetuple().tm_yday - 1) // 7)
