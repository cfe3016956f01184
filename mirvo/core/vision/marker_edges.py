"""Corners of a marker from every edge its print has, within and around.

Blur, a camera's tone curve and white that is clipped all move an edge of print the same way:
white grows and black shrinks. Read at its outer edge alone, a marker then seems too small, and all
that is measured with it too large. But a marker has white cells within black ones too, whose edges
move the other way. So the shift is one more unknown of the fit: corners and shift together, by
least squares over all edges.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import edge_offsets

CELLS = 6
SAMPLES_PER_CELL = 4
# Below this the steps of neighbouring cells run into one another.
MIN_CELL_PX = 5.0
REACH_OF_CELL = 0.42
MAX_REACH_PX = 7.0
ROUNDS = 3
# Of the usual step between black and white; a shadow's edge or a leaf has less.
WEAK = 0.35
MIN_EDGES = 30


@dataclass(frozen=True)
class MarkerFit:
    """corners : (4, 2), px. shrunk_px : how far black has shrunk at each edge, px.
    residual_px : how far single edges still lie off, at the median."""

    corners: Array
    shrunk_px: float
    residual_px: float


def fit_marker(grey: npt.NDArray[np.uint8], corners: Array, number: int) -> MarkerFit | None:
    """Corners of a marker (4, 2), px, clockwise from its top left, from near ones.

    None where the marker is too small in the picture, or too little of it can be read.
    """
    around = np.roll(corners, -1, axis=0) - corners
    if np.hypot(*around.T).min() < MIN_CELL_PX * CELLS:
        return None
    spots, ways = printed_edges(number)
    found = corners.astype(float)
    fit = None
    for _ in range(ROUNDS):
        fit = _round(grey, found, spots, ways)
        if fit is None:
            return None
        found = fit.corners
    return fit


def _round(
    grey: npt.NDArray[np.uint8], corners: Array, spots: Array, ways: Array
) -> MarkerFit | None:
    to_photo = _homography(corners)
    at = _mapped(to_photo, spots)
    # Across each edge in the photo, from black to white.
    across = _mapped(to_photo, spots + 0.01 * ways) - at
    along = np.column_stack([-ways[:, 1], ways[:, 0]])
    run = _mapped(to_photo, spots + 0.01 * along) - at
    normal = np.column_stack([-run[:, 1], run[:, 0]])
    normal *= np.sign((normal * across).sum(axis=1))[:, None]
    normal /= np.hypot(*normal.T)[:, None]
    cell = np.sqrt(abs(np.linalg.det(np.diff(corners[[0, 1, 2]], axis=0)))) / CELLS
    reach = float(min(MAX_REACH_PX, REACH_OF_CELL * cell))
    offsets, strength = _offsets(grey, at, normal, reach)
    weights = _bilinear(spots)
    terms = np.concatenate(
        [weights * normal[:, :1], weights * normal[:, 1:], -np.ones((len(at), 1))], axis=1
    )
    sound = (strength > WEAK * np.median(strength)) & (np.abs(offsets) < 0.95 * reach)
    for _ in range(3):
        if sound.sum() < MIN_EDGES:
            return None
        answer = np.linalg.lstsq(terms[sound], offsets[sound], rcond=None)[0]
        away = np.abs(offsets - terms @ answer)
        usual = float(np.median(away[sound]))
        sound &= away <= max(0.15, 3.0 * usual)
    moved = corners + np.column_stack([answer[:4], answer[4:8]])
    return MarkerFit(moved, float(answer[8]), usual)


def _offsets(
    grey: npt.NDArray[np.uint8], at: Array, normal: Array, reach: float
) -> tuple[Array, Array]:
    offsets, strength = np.empty(len(at)), np.empty(len(at))
    # Edges of one direction are read together, so that all of them rise.
    ways = np.unique(np.round(normal, 1), axis=0)
    kind = np.hypot(*np.moveaxis(ways - normal[:, None], 2, 0)).argmin(axis=1)
    for index in np.unique(kind):
        some = kind == index
        offsets[some], strength[some] = edge_offsets(grey, at[some], normal[some], reach)
    return offsets, strength


@cache
def printed_edges(number: int) -> tuple[Array, Array]:
    """Places (n, 2) on the edges of a marker's print, 0 to 1 from its top left, and the unit way
    (n, 2) across each from black to white."""
    import cv2  # heavy: only where a photo is really looked at

    book = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    white = np.pad(
        cv2.aruco.generateImageMarker(book, number, CELLS) > 127, 1, constant_values=True
    )
    steps = (np.arange(SAMPLES_PER_CELL) + 1.0) / (SAMPLES_PER_CELL + 1.0)
    spots, ways = [], []
    for row in range(1, CELLS + 2):
        for column in range(1, CELLS + 2):
            here = white[row, column]
            if white[row - 1, column] != here and column <= CELLS:
                spots.append(np.column_stack([column - 1 + steps, np.full(len(steps), row - 1.0)]))
                ways.append(np.tile([0.0, 1.0 if here else -1.0], (len(steps), 1)))
            if white[row, column - 1] != here and row <= CELLS:
                spots.append(np.column_stack([np.full(len(steps), column - 1.0), row - 1 + steps]))
                ways.append(np.tile([1.0 if here else -1.0, 0.0], (len(steps), 1)))
    return np.concatenate(spots) / CELLS, np.concatenate(ways)


def _bilinear(spots: Array) -> Array:
    """How much each corner's shift moves a place (n, 4)."""
    u, v = spots.T
    return np.column_stack([(1 - u) * (1 - v), u * (1 - v), u * v, (1 - u) * v])


def _homography(corners: Array) -> Array:
    import cv2

    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(square, corners.astype(np.float32)), float)


def _mapped(matrix: Array, points: Array) -> Array:
    raised = np.column_stack([points, np.ones(len(points))]) @ matrix.T
    return np.asarray(raised[:, :2] / raised[:, 2:])
