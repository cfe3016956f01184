"""The plane the roots leave the trunk in, from several side views on a turntable."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

import numpy as np

from mirvo.core.angles import clock_hour
from mirvo.core.measure.figure import Figure
from mirvo.core.measure.records import EmergenceRecord, RootPlane
from mirvo.core.measure.side import SideView
from mirvo.core.measure.uncertainty import Array, figure

# Three points fix a plane; fewer leave its tilt open.
MIN_ROOTS = 3
ROUNDS = 2
# 1.4826 turns a median deviation into a standard deviation of normal errors.
OUTLIER = 2.5 * 1.4826
# Clicks are never better than this, so a root is not dropped for less.
SMALL_RESIDUAL_MM = 1.0
# Views nearer than ten degrees to each other hardly cut a root in.
MIN_ANGLE_SINE = 0.17
# Depth and place depend on each other; four rounds settle them to a hundredth of a mm.
SETTLE = 4


@dataclass(frozen=True)
class Emergences:
    """Roots on the plan at the first view: labels, and x, y, z (rows, n) in mm."""

    labels: list[str]
    x: Array
    y: Array
    z: Array


def join_views(views: list[SideView]) -> Emergences:
    """Emergences of several views in one plan.

    A root seen in two views at an angle to each other is cut in by both; one seen once is
    taken to stand on the front of the base.
    """
    seen: dict[str, list[tuple[SideView, int]]] = defaultdict(list)
    for view in views:
        for index, emergence in enumerate(view.marks.emergences):
            seen[emergence.label].append((view, index))
    places = [_place(sightings) for sightings in seen.values()]
    x, y, z = (np.stack([place[i] for place in places], axis=1) for i in range(3))
    return Emergences(list(seen), x, y, z)


def _place(sightings: list[tuple[SideView, int]]) -> tuple[Array, Array, Array]:
    """x, y, z (rows,) of one root, mm.

    With the tree turned clockwise by t, it is seen at x cos t + y sin t to the right and
    stands x sin t - y cos t nearer to the camera.
    """
    turns = np.radians([view.marks.turntable_deg for view, _ in sightings])
    cos, sin = np.cos(turns), np.sin(turns)
    flat = [view.frame.of_draws(view.emergence_px[:, [i]])[:, 0, 0] for view, i in sightings]
    nearer = [view.nearer(x[:, None])[:, 0] for (view, _), x in zip(sightings, flat, strict=True)]
    crossed = abs(np.sin(turns[:, None] - turns[None])).max() > MIN_ANGLE_SINE
    for _ in range(SETTLE):
        spots = [
            view.frame.of_draws(view.emergence_px[:, [i]], view.known(depth[:, None]))[:, 0]
            for (view, i), depth in zip(sightings, nearer, strict=True)
        ]
        across = np.stack([spot[:, 0] for spot in spots], axis=1)
        # Seen once, nothing says how far back it stands, so the trunk's front is taken.
        if not crossed:
            depth = np.stack(nearer, axis=1)
            x = (across * cos + depth * sin).mean(axis=1)
            y = (across * sin - depth * cos).mean(axis=1)
            break
        solve = np.linalg.pinv(np.stack([cos, sin], axis=1))
        x, y = (across @ solve.T).T
        nearer = [x * s - y * c for c, s in zip(cos, sin, strict=True)]
    return x, y, np.mean([spot[:, 1] for spot in spots], axis=0)


def joined_measures(roots: Emergences) -> tuple[EmergenceRecord, ...]:
    """Height and x at the first view of every joined root."""
    return tuple(
        EmergenceRecord(label=label, height_mm=figure(roots.z[:, i]), x_mm=figure(roots.x[:, i]))
        for i, label in enumerate(roots.labels)
    )


def fit_root_plane(roots: Emergences) -> RootPlane | None:
    """Least-squares plane, robust: two rounds, dropping residuals over 2.5 x 1.4826 x MAD.

    None with fewer than three roots, or with all of them in one line.
    """
    kept = np.ones(len(roots.labels), dtype=bool)
    if kept.sum() < MIN_ROOTS:
        return None
    for _ in range(ROUNDS):
        # The first row is the marks as set; the draws after it must drop the same roots.
        first = _solve(roots, kept, slice(0, 1))
        if first is None:
            return None
        away = np.abs(_residuals(roots, first, slice(0, 1))[0])
        limit = max(OUTLIER * float(np.median(away[kept])), SMALL_RESIDUAL_MM)
        still = kept & (away <= limit)
        # A plane through fewer than three roots says nothing, so the last fit stands.
        if still.sum() < MIN_ROOTS:
            break
        kept = still
    planes = _solve(roots, kept, slice(None))
    if planes is None:
        return None
    return _described(roots, planes, kept)


def _solve(roots: Emergences, kept: Array, rows: slice) -> Array | None:
    x, y, z = (part[rows][:, kept] for part in (roots.x, roots.y, roots.z))
    system = np.stack([np.ones_like(x), x, y], axis=2)
    # All emergences in one line leave the tilt across it open.
    if np.linalg.matrix_rank(system[0], tol=1e-6 * max(1.0, float(abs(system[0]).max()))) < 3:
        return None
    turned = system.swapaxes(1, 2)
    return np.asarray(np.linalg.solve(turned @ system, turned @ z[..., None])[..., 0])


def _residuals(roots: Emergences, planes: Array, rows: slice) -> Array:
    a, b, c = (planes[:, i, None] for i in range(3))
    return np.asarray(roots.z[rows] - (a + b * roots.x[rows] + c * roots.y[rows]))


def _described(roots: Emergences, planes: Array, kept: Array) -> RootPlane:
    slope = np.hypot(planes[:, 1], planes[:, 2])
    # Azimuths run clockwise from the front, so x comes first.
    uphill = float(np.degrees(np.arctan2(planes[0, 1], planes[0, 2])) % 360.0)
    hour = clock_hour(uphill)
    tilt = figure(np.degrees(np.arctan(slope)))
    residuals = _residuals(roots, planes[:1], slice(0, 1))[0]
    return RootPlane(
        height_mm=figure(planes[:, 0]),
        tilt_deg=tilt,
        tilt_clock=hour,
        residuals_mm={
            label: round(float(value), 2)
            for label, value in zip(roots.labels, residuals, strict=True)
        },
        left_out=tuple(label for label, used in zip(roots.labels, kept, strict=True) if not used),
        advice=_advice(tilt, hour),
    )


def _advice(tilt: Figure, hour: float) -> str:
    # A tilt within its own error is none to act on.
    if tilt.value <= tilt.plus_minus:
        return f"Level within measuring error ({tilt.value:.1f}° ± {tilt.plus_minus:.1f}°)."
    return f"Tilt {tilt.value:.1f}° toward {_half_hour(hour)} levels it."


def _half_hour(hour: float) -> str:
    """An hour of the clock as it is said at the bench: "1 o'clock", "half past 12"."""
    whole, half = divmod(round(hour * 2) % 24, 2)
    return f"half past {whole or 12}" if half else f"{whole or 12} o'clock"
