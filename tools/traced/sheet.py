"""The printed card as a sheet of paper in space: tilted, creased, curled."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tools.traced.base import Array
from tools.traced.solid import Mesh
from tools.traced.surroundings import grid_faces

MARKER_MM, ACROSS_MM, DOWN_MM, MARGIN_MM = 30.0, 120.0, 80.0, 10.0
PX_PER_MM = 8
HALF = ((ACROSS_MM + MARKER_MM) / 2 + MARGIN_MM, (DOWN_MM + MARKER_MM) / 2 + MARGIN_MM)


@dataclass(frozen=True)
class Sheet:
    """Where the card lies. height_mm : of its middle over the root plane; crease_mm, curl_mm : how
    far its middle fold and its ends stand up."""

    place: tuple[float, float]
    turn: float
    height_mm: float
    tilt: tuple[float, float] = (0.0, 0.0)
    crease_mm: float = 0.0
    curl_mm: float = 0.0

    def lifted(self, flat: Array) -> Array:
        """Points of the print (n, 2), mm from its middle, x right and y up, in space (n, 3)."""
        x, y = flat[:, 0], flat[:, 1]
        height = self.height_mm + self.tilt[0] * x + self.tilt[1] * y
        height = height + self.crease_mm * (np.abs(x) / HALF[0]) + self.curl_mm * (y / HALF[1]) ** 2
        a, b = np.cos(self.turn), np.sin(self.turn)
        return np.column_stack(
            [a * x - b * y + self.place[0], b * x + a * y + self.place[1], height]
        )

    def covers(self, points: Array) -> NDArray[np.bool_]:
        """Which points in space (n, 3) lie under the paper (n,)."""
        a, b = np.cos(self.turn), np.sin(self.turn)
        right, up = points[:, 0] - self.place[0], points[:, 1] - self.place[1]
        flat = np.column_stack([a * right + b * up, a * up - b * right])
        inside = (np.abs(flat) <= HALF).all(axis=1)
        return np.asarray(inside & (points[:, 2] < self.lifted(flat)[:, 2]))

    def corners(self) -> Array:
        """Corners of the markers 0 to 3 in space (16, 3), each clockwise from its top left."""
        half = MARKER_MM / 2
        middles = [(-60.0, 40.0), (60.0, 40.0), (60.0, -40.0), (-60.0, -40.0)]
        square = [(-half, half), (half, half), (half, -half), (-half, -half)]
        return self.lifted(np.array([[x + a, y + b] for x, y in middles for a, b in square]))

    def mesh(self) -> tuple[Mesh, Array]:
        """The paper, and where the print lies on it (n, 2), 0 to 1."""
        u, v = np.meshgrid(np.linspace(0, 1, 41), np.linspace(0, 1, 31))
        flat = np.column_stack([(u.ravel() * 2 - 1) * HALF[0], (v.ravel() * 2 - 1) * HALF[1]])
        corners = self.lifted(flat)
        return Mesh(corners, grid_faces(31, 41), np.ones_like(corners)), np.column_stack(
            [u.ravel(), v.ravel()]
        )


def print_of_card(white: float = 0.82, black: float = 0.03) -> Array:
    """The print as reflectance (rows, columns), its top row first."""
    side, margin = int(MARKER_MM * PX_PER_MM), int(MARGIN_MM * PX_PER_MM)
    across, down = int(ACROSS_MM * PX_PER_MM), int(DOWN_MM * PX_PER_MM)
    sheet = np.full((down + side + 2 * margin, across + side + 2 * margin), white)
    book = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    for number, (x, y) in enumerate([(0, 0), (across, 0), (across, down), (0, down)]):
        marker = cv2.aruco.generateImageMarker(book, number, side) > 127
        sheet[margin + y : margin + y + side, margin + x : margin + x + side] = np.where(
            marker, white, black
        )
    middle = sheet.shape[0] // 2
    note = np.full((40, 330), 255, np.uint8)
    cv2.putText(note, "120 x 80 mm", (4, 30), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 90, 2)
    at = sheet.shape[1] // 2 - 165
    sheet[middle - 20 : middle + 20, at : at + 330] = np.minimum(white, note / 255.0)
    return sheet
