"""A round or oval pot rim as calibration: the affine map that makes it round again."""

from __future__ import annotations

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array


def fit_conic(points: Array) -> tuple[Array, Array]:
    """Centre (rows, 2) and shape Q (rows, 2, 2) of ellipses (x-c)' Q (x-c) = 1.

    Parameters
    ----------
    points : (rows, n, 2), n >= 5, px.

    Raises
    ------
    BadInput : the points as set lie on no ellipse.

    Source: algebraic least squares on normalised points (Bookstein, 1979).
    """
    middle = points[0].mean(axis=0)
    spread = float(np.abs(points[0] - middle).max()) or 1.0
    x, y = np.moveaxis((points - middle) / spread, 2, 0)
    design = np.stack([x * x, x * y, y * y, x, y, np.ones_like(x)], axis=2)
    a, b, c, d, e, f = np.linalg.svd(design)[2][:, -1].T
    shape = np.stack([np.stack([a, b / 2], 1), np.stack([b / 2, c], 1)], 1)
    if np.linalg.det(shape[0]) <= 1e-6:
        raise BadInput(
            "calibration.points", "the points do not lie on an ellipse; go round the rim"
        )
    bad = np.linalg.det(shape) <= 1e-6
    shape[bad] = shape[0]
    centre = -0.5 * np.linalg.solve(shape, np.stack([d, e], 1)[..., None])[..., 0]
    level = np.einsum("ki,kij,kj->k", centre, shape, centre) - f
    quadric = shape / level[:, None, None] / spread**2
    quadric[bad] = quadric[0]
    return centre * spread + middle, quadric


def ellipse_to_circle(
    rim: Array, length_mm: float, width_mm: float, long_axis: Array | None
) -> tuple[Array, float, float]:
    """Affine maps px to mm, their rim residual (mm) and the tilt they imply (degrees).

    Parameters
    ----------
    rim : (rows, n, 2), px. long_axis : (rows, 2, 2), px, the ends of an oval's long axis.

    Returns
    -------
    matrix (rows, 3, 3), residual_mm, tilt_deg.
    """
    centre, shape = fit_conic(rim)
    lengths, axes = np.linalg.eigh(shape)
    root = axes @ (np.sqrt(lengths)[:, :, None] * axes.swapaxes(1, 2))
    # the smallest eigenvalue belongs to the longest axis
    along = axes[:, :, 0] if long_axis is None else long_axis[:, 1] - long_axis[:, 0]
    unit = np.einsum("kij,kj->ki", root, along)
    unit *= np.sign(unit[:, :1] + 1e-12) / np.linalg.norm(unit, axis=1, keepdims=True)
    to_axis = np.stack([unit, np.stack([-unit[:, 1], unit[:, 0]], 1)], 1)
    size = np.diag([length_mm / 2, width_mm / 2])
    linear = to_axis.swapaxes(1, 2) @ size @ to_axis @ root
    matrix = np.zeros((len(rim), 3, 3))
    matrix[:, :2, :2] = linear
    matrix[:, :2, 2] = -np.einsum("kij,kj->ki", linear, centre)
    matrix[:, 2, 2] = 1.0
    on_unit = np.einsum("ij,nj->ni", root[0], rim[0] - centre[0])
    residual = (np.linalg.norm(on_unit, axis=1) - 1) * (length_mm + width_mm) / 4
    stretch = np.linalg.svd(linear[0], compute_uv=False)
    tilt = float(np.degrees(np.arccos(np.clip(stretch[1] / stretch[0], 0, 1))))
    return matrix, float(np.sqrt((residual**2).mean())), tilt
