"""The year at the bench: twelve months from today, the head and one lane a tree."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta

from mirvo.core.measure.records import TopRecord
from mirvo.core.season import frost_day
from mirvo.studio.records.aftercare import Due
from mirvo.studio.yard.bench import Bench, BenchWeek, Lane
from mirvo.text.advice import headline
from mirvo.web import wording
from mirvo.web.drawings.scene import Scene
from mirvo.web.drawings.tiles import add_base
from mirvo.web.drawings.wheel import describe

WIDTH_PX, LANE_PX, HEAD_PX = 600.0, 46.0, 44.0
DAYS = 365
BAR_TOP, BAR_PX = 8.0, 18.0
# A word that begins later than this would run out of the lane.
LATE_PX = 400.0
WHEEL_PX = 52.0
WEEK_PX, LOAD_PX = WIDTH_PX / 52, 12.0
# Trees of a week that dots have room for, in twos.
DOTS = 4
CARE_PX = 8.0
FROST_DRAWN_FROM = 0.15


def _x(day: date, today: date) -> float:
    return min(max(0, (day - today).days), DAYS) * WIDTH_PX / DAYS


def months(today: date) -> list[date]:
    """First days of the months of the year from a day on."""
    return [
        date(today.year + month // 12, month % 12 + 1, 1)
        for month in range(today.month, today.month + 12)
    ]


def week_of_year(day: date) -> int:
    """0 to 51, counted in sevens from the first of January."""
    return min(51, (day.timetuple().tm_yday - 1) // 7)


def draw_head(today: date, frosty: list[float], last_frost: str, bench: Bench) -> Scene:
    """Names of the months, the weeks of frost, and how full the weeks are."""
    scene = Scene("year-head", WIDTH_PX, HEAD_PX, "The year from today on", _weeks_said(bench))
    for first in months(today):
        x = _x(first, today)
        scene.write((x + 4, 14), f"{first:%b}", "month")
        scene.line((x, 20), (x, HEAD_PX), "month-line")
    for ahead in range(52):
        day = today + timedelta(weeks=ahead)
        if frosty[week_of_year(day)] >= FROST_DRAWN_FROM:
            scene.rect((ahead * WEEK_PX, 21), (WEEK_PX, 9), "week-frost")
    frost = _next(last_frost, today)
    scene.line((_x(frost, today), 19), (_x(frost, today), 32), "frost-line")
    scene.write(
        (_x(frost, today) + 4, 30), f"usual last frost {frost.day} {frost:%b}", "frost-words"
    )
    # A dot a tree where a week has room for all of them; else a bar a week, full at its top.
    draw = _dots if all(len(week.trees) <= DOTS for week in bench.weeks) else _bar
    for week in bench.weeks:
        draw(scene, week, _x(max(week.monday, today), today))
    return scene


def _dots(scene: Scene, week: BenchWeek, x: float) -> None:
    for place in range(len(week.trees)):
        role = "load-over" if place >= week.room else "load"
        scene.circle((x + 4 + 6 * (place // 2), HEAD_PX - 5 - 6 * (place % 2)), 2.4, role)


def _bar(scene: Scene, week: BenchWeek, x: float) -> None:
    if not week.trees:
        return
    height = LOAD_PX * min(1.0, len(week.trees) / max(1, week.room))
    role = "load-over" if len(week.trees) > week.room else "load"
    scene.rect((x + 1, HEAD_PX - 1 - height), (WEEK_PX - 2, height), role)


def _weeks_said(bench: Bench) -> str:
    return " ".join(
        f"Week of {week.monday:%d %B}: {len(week.trees)} of {week.room} trees."
        for week in bench.weeks
    )


def _next(month_day: str, today: date) -> date:
    """The next day of a month and day, "04-20"."""
    this = frost_day(month_day, today.year)
    return this if this >= today else frost_day(month_day, today.year + 1)


def draw_lane(lane: Lane, care: Iterable[Due], today: date) -> Scene:
    """One tree's year: its window, what will be done in it, what is to be looked after."""
    row = lane.row
    window = row.window
    said = f"{headline(row.verdict)}. Window {window.start:%d %B %Y} to {window.end:%d %B %Y}."
    scene = Scene(f"lane-{row.tree.id}", WIDTH_PX, LANE_PX, row.tree.name, said)
    lines = " ".join(f"M{_x(first, today):.1f} 0V{LANE_PX}" for first in months(today))
    scene.curve(lines, "month-line")
    scene.line((1, 0), (1, LANE_PX), "today")
    for due in care:
        x = min(_x(due.due, today), WIDTH_PX - CARE_PX)
        scene.rect((x, 0), (CARE_PX, CARE_PX), "care-late" if due.late else "care")
    if window.start > today + timedelta(days=DAYS) or lane.week is None:
        scene.write((8, BAR_TOP + 14), resting(lane), "lane-rest")
        return scene
    start, end = _x(window.start, today), _x(window.end, today)
    closing = row.standing.season.state == "closing"
    scene.rect(
        (start, BAR_TOP),
        (max(4.0, end - start), BAR_PX),
        "lane-closing" if closing else "lane-open",
    )
    late = start > LATE_PX
    anchor, x = ("end", start - 8) if end > LATE_PX + 60 else ("start", end + 18)
    scene.write((x, BAR_TOP + 14), wording.days(window.start, window.end), "lane-words", anchor)
    scene.write(
        (end if late else start, LANE_PX - 5),
        planned(lane),
        "lane-what",
        "end" if late else "start",
    )
    return scene


def planned(lane: Lane) -> str:
    """What will be done in a lane's window."""
    name = headline(lane.row.verdict)
    if lane.step is None:
        return name
    brief = wording.step_in_brief(lane.step)
    return f"{name}: {brief}" if lane.row.verdict.kind == "repot_now" else brief


def resting(lane: Lane) -> str:
    """Why nothing is planned within the year, and until when."""
    row = lane.row
    until = wording.short_day(row.window.start)
    if row.verdict.kind == "rest":
        return f"rests until {until}"
    name = headline(row.verdict)
    return f"{name[0].lower()}{name[1:]}; next window {until}"


def draw_small_wheel(tree_id: int, measured: TopRecord) -> Scene:
    """A base in a ring that just holds it."""
    scene = Scene(
        f"wheel-{tree_id}", WHEEL_PX, WHEEL_PX, "Base from above, front below", describe(measured)
    )
    middle = WHEEL_PX / 2, WHEEL_PX / 2
    radius = WHEEL_PX / 2 - 1
    scene.circle(middle, radius, "ring")
    add_base(scene, measured, middle, radius / measured.frame_mm)
    return scene
