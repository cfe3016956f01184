"""What waiting saves: the year of arrival against the least toll, a point a plan."""

from __future__ import annotations

from collections.abc import Sequence

from mirvo.core.plan.records import PlannedPath, TradeoffPoint
from mirvo.web.drawings.scene import Link, Scene

WIDTH_PX, HEIGHT_PX = 560.0, 240.0
LEFT_PX, RIGHT_PX, TOP_PX, LOW_PX = 58.0, 92.0, 26.0, 42.0
# A disc's area goes with its sessions.
LEAST_PX, A_SESSION_PX2 = 4.0, 18.0
TOLL_STEPS = (5, 10, 20, 25, 50, 100, 200, 500)
MOST_LINES = 5
FINGER_PX = 20.0
MOST_YEARS = 12


def draw_tradeoff(path: PlannedPath, address: str, shown: int | None) -> Scene | None:
    """One school's curve, each point a link; None where there is nothing to choose from.

    address : of the path's page. shown : the year whose steps are in view.
    """
    points = path.tradeoff
    if len(points) < 2:
        return None
    scene = Scene("tradeoff", WIDTH_PX, HEIGHT_PX, f"What waiting saves, {path.school}")
    scene.role = "group"
    scene.description = "; ".join(
        f"there in {point.year}: {point.sessions} sessions, toll {point.toll:.0f}"
        for point in points
    )
    years = _years(path, points)
    step = next(
        (one for one in TOLL_STEPS if max(point.toll for point in points) / one < MOST_LINES),
        TOLL_STEPS[-1],
    )
    top = (int(max(point.toll for point in points) / step) + 1) * step
    right, floor = WIDTH_PX - RIGHT_PX, HEIGHT_PX - LOW_PX

    def at(year: float, toll: float) -> tuple[float, float]:
        share = (year - years[0]) / max(1, years[-1] - years[0])
        return LEFT_PX + share * (right - LEFT_PX), floor - toll / top * (floor - TOP_PX)

    for toll in range(0, top + 1, step):
        _, y = at(years[0], toll)
        scene.line((LEFT_PX - 4, y), (right + 8, y), "year-rule")
        scene.write((LEFT_PX - 10, y + 4), str(toll), "small", "end")
    every = 1 if len(years) <= MOST_YEARS else 2
    for year in years[::every]:
        x, _ = at(year, 0)
        scene.write((x, floor + 16), str(year), "small", "middle")
    scene.write((LEFT_PX - 46, TOP_PX - 12), "toll", "small")
    scene.write((right, HEIGHT_PX - 5), "there by the end of", "small", "end")
    if path.likely_year is not None and path.likely_year <= years[-1]:
        x, _ = at(path.likely_year, 0)
        scene.line((x, TOP_PX - 6), (x, floor), "target-line")
        scene.write((x, TOP_PX - 10), "likely by", "small", "middle")
    places = [at(point.year, point.toll) for point in points]
    scene.path(places, "path-line")
    for point, place in zip(points, places, strict=True):
        planned = point.year == path.reached_year
        words = _said(point)
        to = f"{address}?school={path.school}&arriving={point.year}"
        label = f"Show the way that is there in {point.year}: {words}"
        chosen = point.year == shown
        _point(
            scene,
            f"planned: {words}" if planned else words,
            point,
            place,
            Link(to, label, "path", chosen),
            planned,
        )
    return scene


def _years(path: PlannedPath, points: Sequence[TradeoffPoint]) -> list[int]:
    last = max(points[-1].year, path.likely_year or 0)
    return list(range(points[0].year, last + 1))


def _said(point: TradeoffPoint) -> str:
    sessions = "1 session" if point.sessions == 1 else f"{point.sessions} sessions"
    return f"{sessions}, {100 * point.chance:.0f}%"


def _point(
    scene: Scene,
    words: str,
    point: TradeoffPoint,
    place: tuple[float, float],
    link: Link,
    planned: bool,
) -> None:
    x, y = place
    radius = (LEAST_PX**2 + A_SESSION_PX2 * point.sessions) ** 0.5
    if link.chosen:
        scene.circle(place, radius + 5, "shown-ring")
    scene.circle(place, radius, "session-disc" if planned else "session-open")
    scene.write((x + radius + 5, y - radius - 2), words, "small")
    # Wider than the disc, so that a finger meets it; last, so that nothing lies over it.
    scene.circle(place, FINGER_PX, "touch", link)
