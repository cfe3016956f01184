"""The season ribbon: the weeks from today on, the window, the weeks of frost."""

from __future__ import annotations

from datetime import date, timedelta

from mirvo.studio.yard.sheet import Sheet
from mirvo.web import wording
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.year import FROST_DRAWN_FROM, months, week_of_year

WIDTH_PX = 420.0
WEEKS = 52


def season_ribbon(sheet: Sheet) -> Scene:
    """52 weeks from today with the next window as far as it lies in them, and frost."""
    window, today = sheet.window, sheet.today
    said = f"Window {wording.days(window.start, window.end)}."
    scene = Scene("ribbon", WIDTH_PX, 56, "The season from today on", said)
    start, end = _week(window.start, today), _week(window.end, today)
    for week in range(WEEKS):
        day = today + timedelta(weeks=week)
        frosty = sheet.frosty[week_of_year(day)] >= FROST_DRAWN_FROM
        role = "week-open" if start <= week <= end else "week-frost" if frosty else "week"
        scene.rect((week * WIDTH_PX / WEEKS, 18), (WIDTH_PX / WEEKS - 1, 15), role)
    for first in months(today):
        at = (first - today).days / 7 * WIDTH_PX / WEEKS
        scene.write((at, 50), f"{first:%b}"[0], "small")
    scene.line((1, 14), (1, 36), "today")
    x = start * WIDTH_PX / WEEKS
    # Beyond the year it is only said when it opens.
    inside = start < WEEKS
    until = wording.days(window.start, window.end) if inside else wording.short_day(window.start)
    anchor, begins = ("start", x) if x < WIDTH_PX / 2 else ("end", WIDTH_PX)
    scene.write((begins, 12), f"window {until}", "small", anchor)
    return scene


def _week(day: date, today: date) -> int:
    """Weeks from today, 0 for what has begun."""
    return max(0, (day - today).days) // 7
