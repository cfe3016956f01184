"""Years: figures of a tree over time with error bars, target line and forecast."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from math import ceil, floor, inf, log10

from mirvo.core.almanac import rules
from mirvo.core.lengths import MM_PER_INCH
from mirvo.core.measure.figure import Figure
from mirvo.core.plan.records import PlannedPath, YearForecast
from mirvo.studio.yard.sheet import Sheet
from mirvo.web.drawings.scene import Point, Scene
from mirvo.web.lengths import in_inches

SPRING = 0.25
# Between the lowest and the highest value written beside an axis, at most.
STEPS = 4
# Height above and below a flat curve, by its digits: its noise is not to fill the chart.
LEAST_MARGIN = {0: 5.0, 1: 0.2, 2: 0.05}


@dataclass(frozen=True)
class Seen:
    """A value in a year; its ± where it was measured on a photo, None where it was read off a rule
    or measured by hand."""

    year: float
    value: float
    plus_minus: float | None = None
    by_hand: bool = False


@dataclass(frozen=True)
class Ahead:
    """A value expected in a year, and the band it lies in."""

    year: float
    low: float
    value: float
    high: float


@dataclass(frozen=True)
class Curve:
    """One figure over the years: as seen, as wished, as expected.

    digits : of its values. most : the largest value there can be; none lies below 0.
    """

    name: str
    unit: str
    digits: int
    seen: list[Seen]
    wished: float | None = None
    ahead: list[Ahead] = field(default_factory=list)
    most: float = inf


@dataclass(frozen=True)
class Axes:
    """From year and value to paper. step : between the values written beside it."""

    first: float
    last: float
    low: float
    high: float
    step: float
    width: float
    height: float

    def at(self, year: float, value: float) -> Point:
        x = 34 + (year - self.first) / max(self.last - self.first, 1) * (self.width - 60)
        y = self.height - 26 - (value - self.low) / (self.high - self.low) * (self.height - 56)
        return (x, y)


def years_chart(sheet: Sheet) -> Scene | None:
    """The chart of the tree page; None before the first measurement."""
    return _chart(spread_curve(sheet, sheet.path), sheet.path, 430.0, 180.0)


def path_chart(sheet: Sheet, path: PlannedPath) -> Scene | None:
    """The chart of the path page for one path."""
    return _chart(spread_curve(sheet, path), path, 460.0, 210.0)


def years_charts(sheet: Sheet) -> list[Scene]:
    """Every curve of the years page that has something to show, lengths in the reader's unit."""
    curves = (
        spread_curve(sheet, sheet.path),
        trunk_curve(sheet),
        radiality_curve(sheet),
        gap_curve(sheet, sheet.path),
        depth_curve(sheet, sheet.path),
    )
    shown = [curve for curve in curves if curve.seen]
    if not shown:
        return []
    # One span of years for all, so that they can be read one below the other.
    span = min(_span(chart)[0] for chart in shown), max(_span(chart)[1] for chart in shown)
    charts = (_chart(curve, sheet.path, 480.0, 190.0, span) for curve in shown)
    return [chart for chart in charts if chart is not None]


def spread_curve(sheet: Sheet, path: PlannedPath | None) -> Curve:
    """Spread to trunk on the target's basis, with the band of a path."""
    basis = sheet.basis
    seen = [
        _seen(day, spread.ratio)
        for day, measured in sheet.history
        if (spread := measured.spread.on(basis)) is not None
    ]
    # On which basis a hand measured nobody says: across what flares.
    ratios = (
        (row.measured_on, row.spread_mm / row.trunk_mm)
        for row in sheet.by_hand
        if row.spread_mm and row.trunk_mm
    )
    seen = _with_hand(seen, ratios)
    ahead = [
        Ahead(ahead.year + 1.0, ahead.low, ahead.spread_ratio, ahead.high)
        for ahead in _forecast(path)  # a forecast stands for the year's end
    ]
    wished = None if sheet.target is None else sheet.target.spread_ratio
    return Curve(f"Spread to trunk, basis {basis}", "", 2, seen, wished, ahead)


def trunk_curve(sheet: Sheet) -> Curve:
    """The trunk's diameter as it was measured; no path foretells it."""
    unit_mm, unit, digits = (MM_PER_INCH, "in", 2) if in_inches() else (1.0, "mm", 0)
    seen = [
        Seen(_year(day), trunk.value / unit_mm, trunk.plus_minus / unit_mm)
        for day, measured in sheet.history
        for trunk in (measured.trunk_diameter_mm,)
    ]
    by_hand = ((row.measured_on, row.trunk_mm / unit_mm) for row in sheet.by_hand if row.trunk_mm)
    return Curve("Trunk diameter", unit, digits, _with_hand(seen, by_hand))


def radiality_curve(sheet: Sheet) -> Curve:
    """Radiality as measured; no path foretells it."""
    seen = [_seen(day, measured.radiality.index) for day, measured in sheet.history]
    return Curve("Radiality", "of 100", 0, seen, most=100.0)


def gap_curve(sheet: Sheet, path: PlannedPath | None) -> Curve:
    """The largest gap, with what a path expects of it."""
    seen = [_seen(day, measured.radiality.largest_gap_deg) for day, measured in sheet.history]
    wished = None if sheet.target is None else sheet.target.largest_gap_deg
    values = [(ahead.year + 1.0, ahead.largest_gap_deg) for ahead in _forecast(path)]
    return Curve("Largest gap", "°", 0, seen, wished, _plain_ahead(values), most=360.0)


def depth_curve(sheet: Sheet, path: PlannedPath | None) -> Curve:
    """Depth of the ball left by each session, and by those a path plans.

    In inches it is drawn anew, since what is round in millimetres is not in inches.
    """
    unit_mm, unit, digits = (MM_PER_INCH, "in", 1) if in_inches() else (1.0, "mm", 0)
    done = sorted(sheet.sessions, key=lambda session: (session.done_on, session.id))
    seen = [
        Seen(_year(session.done_on), session.ball_depth_after / unit_mm)
        for session in done
        if session.ball_depth_after is not None
    ]
    plan = rules().plan
    room = plan.soil_layer_mm + plan.rim_clearance_mm
    # The target is a pot; the curve is of balls, so soil layer and rim come off.
    target = sheet.target
    wished = None if target is None else (target.pot_depth_mm - room) / unit_mm
    steps = path.steps if path else ()
    ahead = _plain_ahead([(step.year + SPRING, step.ball_after_mm / unit_mm) for step in steps])
    return Curve("Ball depth left by a session", unit, digits, seen, wished, ahead)


def _chart(
    curve: Curve,
    path: PlannedPath | None,
    width: float,
    height: float,
    span: tuple[int, float] | None = None,
) -> Scene | None:
    if not curve.seen:
        return None
    axes = _axes(curve, width, height, span)
    unit = f", {curve.unit}" if curve.unit else ""
    title = f"{curve.name}{unit} over the years"
    key = "years-" + re.sub(r"[^a-z]+", "-", curve.name.lower())
    scene = Scene(key, width, height, title, _words(curve))
    _grid(scene, axes)
    if curve.wished is not None:
        a, b = axes.at(axes.first, curve.wished), axes.at(axes.last, curve.wished)
        scene.line(a, b, "target-line")
        scene.write((a[0] + 4, a[1] - 6), f"target {_said(curve, curve.wished)}", "small")
    _expected(scene, axes, curve)
    scene.path([axes.at(point.year, point.value) for point in curve.seen], "measured-line")
    for step in path.steps if path else ():
        if step.year + SPRING <= axes.last:
            scene.circle(axes.at(step.year + SPRING, axes.low), 5, "session-disc")
    for point in curve.seen:
        if point.plus_minus is not None:
            low, high = (axes.at(point.year, point.value + s * point.plus_minus) for s in (-1, 1))
            scene.line(low, high, "error-bar")
            for x, y in (low, high):
                scene.line((x - 4, y), (x + 4, y), "error-bar")
        x, y = axes.at(point.year, point.value)
        if point.by_hand:
            scene.rect((x - 3.2, y - 3.2), (6.4, 6.4), "hand-point")
        else:
            scene.circle((x, y), 3.2, "measured-point")
    return scene


def _with_hand(seen: list[Seen], by_hand: Iterable[tuple[date, float]]) -> list[Seen]:
    """What photos gave and what hands did, in order of time."""
    added = [Seen(_year(day), value, by_hand=True) for day, value in by_hand]
    return sorted([*seen, *added], key=lambda point: point.year)


def _seen(day: date, figure: Figure) -> Seen:
    return Seen(_year(day), figure.value, figure.plus_minus)


def _year(day: date) -> float:
    return day.year + day.timetuple().tm_yday / 365.25


def _forecast(path: PlannedPath | None) -> tuple[YearForecast, ...]:
    return path.forecast if path else ()


def _plain_ahead(values: Sequence[tuple[float, float]]) -> list[Ahead]:
    return [Ahead(year, value, value, value) for year, value in values]


def _axes(curve: Curve, width: float, height: float, span: tuple[int, float] | None) -> Axes:
    values = [*_extremes(curve)]
    low, high = min(values), max(values)
    margin = max(LEAST_MARGIN[curve.digits], (high - low) * 0.12)
    first, last = span or _span(curve)
    # No axis leaves the possible, whatever the ± says.
    low, high = max(0.0, low - margin), min(curve.most, high + margin)
    step = _round_step((high - low) / STEPS)
    low, high = floor(low / step) * step, min(curve.most, ceil(high / step) * step)
    return Axes(first, last, low, high, step, width, height)


def _round_step(least: float) -> float:
    """The smallest step of 1, 2 or 5 and noughts that is no smaller than `least`."""
    power = 10.0 ** floor(log10(least))
    return next(n * power for n in (1, 2, 5, 10) if n * power >= least)


def _span(curve: Curve) -> tuple[int, float]:
    """First and last year a curve has something to show."""
    last = max([curve.seen[-1].year + 1, *(point.year for point in curve.ahead)])
    return int(curve.seen[0].year), last


def _extremes(curve: Curve) -> Iterator[float]:
    for point in curve.seen:
        yield from (point.value + s * (point.plus_minus or 0.0) for s in (-1, 1))
    for ahead in curve.ahead:
        yield from (ahead.low, ahead.high)
    if curve.wished is not None:
        yield curve.wished


def _grid(scene: Scene, axes: Axes) -> None:
    scene.line(axes.at(axes.first, axes.low), axes.at(axes.last, axes.low), "axis")
    span = int(axes.last - axes.first)
    # As many years as can be read without touching.
    step = 1 if span <= 8 else 2 if span <= 14 else 3 if span <= 21 else 5
    for year in range(int(axes.first), int(axes.last) + 1, step):
        x, y = axes.at(year, axes.low)
        scene.line((x, y), (x, y + 4), "axis")
        scene.write((x, y + 18), str(year), "small", "middle")
    digits = max(0, -floor(log10(axes.step)))
    for number in range(round((axes.high - axes.low) / axes.step) + 1):
        value = axes.low + number * axes.step
        x, y = axes.at(axes.first, min(value, axes.high))
        scene.line((x - 3, y), (x, y), "axis")
        scene.write((x - 6, y + 4), f"{value:.{digits}f}", "small", "end")


def _expected(scene: Scene, axes: Axes, curve: Curve) -> None:
    if not curve.ahead:
        return
    # The forecast begins where the last measurement stands, not at the plan's own start.
    start = axes.at(curve.seen[-1].year, curve.seen[-1].value)
    if any(point.high > point.low for point in curve.ahead):
        upper = [axes.at(point.year, point.high) for point in curve.ahead]
        lower = [axes.at(point.year, point.low) for point in curve.ahead]
        scene.path([start, *upper, *lower[::-1]], "band", closed=True)
    middle = [axes.at(point.year, point.value) for point in curve.ahead]
    scene.path([start, *middle], "forecast-line")


def _words(curve: Curve) -> str:
    first, last = curve.seen[0], curve.seen[-1]
    bar = "" if last.plus_minus is None else f" ± {last.plus_minus:.{curve.digits}f}"
    return (
        f"From {_said(curve, first.value)} in {first.year:.0f} to {_said(curve, last.value)}{bar} "
        f"in {last.year:.0f}."
    )


def _said(curve: Curve, value: float) -> str:
    unit = curve.unit if curve.unit in ("", "°") else f" {curve.unit}"
    return f"{value:.{curve.digits}f}{unit}"
