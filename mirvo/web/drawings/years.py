"""Years: spread ratio over time with error bars, target line and forecast band."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from mirvo.studio.sheet import Sheet
from mirvo.web.drawings.scene import Point, Scene

SPRING = 0.25


@dataclass(frozen=True)
class Axes:
    """From year and ratio to paper."""

    first: float
    last: float
    low: float
    high: float
    width: float
    height: float

    def at(self, year: float, value: float) -> Point:
        x = 34 + (year - self.first) / max(self.last - self.first, 1) * (self.width - 60)
        y = self.height - 26 - (value - self.low) / (self.high - self.low) * (self.height - 56)
        return (x, y)


def years_chart(sheet: Sheet) -> Scene | None:
    """The chart of the tree page; None before the first measurement."""
    return _chart(sheet, sheet.path, 430.0, 180.0)


def path_chart(sheet: Sheet, path: dict[str, Any]) -> Scene | None:
    """The chart of the path page for one path."""
    return _chart(sheet, path, 640.0, 230.0)


def _chart(sheet: Sheet, path: dict[str, Any] | None, width: float, height: float) -> Scene | None:
    basis = _basis(sheet)
    seen = [
        (day.year + day.timetuple().tm_yday / 365.25, figures["spread"][basis]["ratio"])
        for day, figures in sheet.history
        if figures["spread"][basis] is not None
    ]
    if not seen:
        return None
    forecast = path["forecast"] if path else []
    ratio = None if sheet.target is None else sheet.target.spread_ratio
    axes = _axes(seen, forecast, ratio, width, height)
    scene = Scene(
        "years", width, height, f"Spread to trunk, basis {basis}, over the years", _words(seen)
    )
    _grid(scene, axes)
    if ratio is not None:
        a, b = axes.at(axes.first, ratio), axes.at(axes.last, ratio)
        scene.line(a, b, "target-line")
        scene.write((a[0] + 4, a[1] - 6), f"target {ratio:.2f}", "small")
    _forecast(scene, axes, seen, forecast)
    scene.path([axes.at(year, value["value"]) for year, value in seen], "measured-line")
    for step in path["steps"] if path else []:
        scene.circle(axes.at(step["year"] + SPRING, axes.low), 5, "session-disc")
    for year, value in seen:
        low, high = (axes.at(year, value["value"] + s * value["plus_minus"]) for s in (-1, 1))
        scene.line(low, high, "error-bar")
        scene.circle(axes.at(year, value["value"]), 4, "measured-point")
    return scene


def _basis(sheet: Sheet) -> str:
    if sheet.target is not None:
        return sheet.target.basis
    flared = any(figures["spread"]["flare"] is not None for _, figures in sheet.history)
    return "flare" if flared else "roots"


def _axes(
    seen: list[tuple[float, dict[str, float]]],
    forecast: list[dict[str, Any]],
    target: float | None,
    width: float,
    height: float,
) -> Axes:
    values = [v["value"] + s * v["plus_minus"] for _, v in seen for s in (-1, 1)]
    values += [step[name] for step in forecast for name in ("low", "high")]
    values += [] if target is None else [target]
    low, high = min(values), max(values)
    margin = max(0.05, (high - low) * 0.12)
    last = max([seen[-1][0] + 1, *(step["year"] + 1 for step in forecast)])
    return Axes(int(seen[0][0]), last, low - margin, high + margin, width, height)


def _grid(scene: Scene, axes: Axes) -> None:
    scene.line(axes.at(axes.first, axes.low), axes.at(axes.last, axes.low), "axis")
    span = int(axes.last - axes.first)
    step = 1 if span <= 8 else 2 if span <= 14 else 3 if span <= 21 else 5
    for year in range(int(axes.first), int(axes.last) + 1, step):
        x, y = axes.at(year, axes.low)
        scene.line((x, y), (x, y + 4), "axis")
        scene.write((x, y + 18), str(year), "small", "middle")
    for share in (0.0, 0.5, 1.0):
        value = axes.low + share * (axes.high - axes.low)
        x, y = axes.at(axes.first, value)
        scene.write((x - 6, y + 4), f"{value:.1f}", "small", "end")


def _forecast(
    scene: Scene,
    axes: Axes,
    seen: list[tuple[float, dict[str, float]]],
    forecast: list[dict[str, Any]],
) -> None:
    if not forecast:
        return
    start = axes.at(seen[-1][0], seen[-1][1]["value"])
    years = [step["year"] + 1.0 for step in forecast]  # a forecast stands for the year's end
    upper = [axes.at(y, step["high"]) for y, step in zip(years, forecast, strict=True)]
    lower = [axes.at(y, step["low"]) for y, step in zip(years, forecast, strict=True)]
    middle = [axes.at(y, step["spread_ratio"]) for y, step in zip(years, forecast, strict=True)]
    scene.path([start, *upper, *lower[::-1]], "band", closed=True)
    scene.path([start, *middle], "forecast-line")


def _words(seen: list[tuple[float, dict[str, float]]]) -> str:
    first, last = seen[0], seen[-1]
    return (
        f"From {first[1]['value']:.2f} in {first[0]:.0f} to {last[1]['value']:.2f} "
        f"± {last[1]['plus_minus']:.2f} in {last[0]:.0f}."
    )
