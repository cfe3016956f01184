"""The base as seen straight from above at a fixed scale: the grid all assistance looks at."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.measure import geometry
from mirvo.core.measure.plane_map import PlaneMap
from mirvo.core.measure.uncertainty import Array

Picture = npt.NDArray[np.uint8]
Map = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
# Fine enough for a root a twentieth of the trunk thick, coarse enough to be walked in a second.
CELLS_PER_TRUNK = 110
# Farther than roots count for the spread: what runs on is seen, and where it ends.
REACH_TRUNKS = 3.4
# Below this the picture is finer than the map and would flicker when sampled.
FINEST_PX_PER_CELL = 0.7


@dataclass(frozen=True)
class PlanView:
    """A square of the root plane about the trunk.

    colour : (n, n, 3), uint8, red, green, blue. trunk : (m, 2), outline in cells.
    cell_mm : size of a cell. centre_mm : (2,), of the trunk. corner_mm : (2,), of cell 0, 0.
    known : (n, n), bool, cells whose ground the photo shows. under_card : (n, n), bool, cells in
    the photo over whose ground the card lies. foot : (2,), in cells, the point below
    the camera, and camera_mm, how high it stands: what stands up is seen away from there.
    """

    colour: Picture
    known: npt.NDArray[np.bool_]
    under_card: npt.NDArray[np.bool_]
    trunk: Array
    cell_mm: float
    corner_mm: Array
    centre_mm: Array
    trunk_mm: float
    plane: PlaneMap

    def cells(self, points_mm: Array) -> Array:
        """Cell coordinates (n, 2), x right, y down, of points on the plane, mm."""
        return np.asarray((points_mm - self.corner_mm) / self.cell_mm)

    def mm(self, cells: Array) -> Array:
        """The way back of `cells`."""
        return np.asarray(cells * self.cell_mm + self.corner_mm)

    @property
    def foot(self) -> Array:
        return np.asarray(self.cells(self.plane.foot[:1])[0])

    @property
    def camera_mm(self) -> float:
        """Height of the camera above the root plane, mm; infinite when unknown."""
        return float(self.plane.camera_height[0] + self.plane.reference_height[0])

    def photo(self, cells: Array, height_mm: Array | float = 0.0) -> Array:
        """Pixels (n, 2) of cells (n, 2) at heights above the root plane, a number or (n,)."""
        return self.plane.to_photo(self.mm(np.asarray(cells, dtype=float)), height_mm)

    def shadowed(self, up_to_mm: float) -> npt.NDArray[np.bool_]:
        """Cells (n, n) a trunk of a height would hide: its outline swept away from the foot."""
        import cv2  # heavy: only where a photo is really looked at

        mask = np.zeros(self.known.shape, np.uint8)
        # The trunk swept up to the height it was marked at: that is what hides the ground
        # behind.
        for height in np.linspace(0, up_to_mm, 12):
            swept = self.foot + (self.trunk - self.foot) / (1 - height / self.camera_mm)
            cv2.fillPoly(mask, [np.round(swept).astype(np.int32)], 1)
        return mask.astype(bool)


def plan_view(
    picture: Picture,
    plane: PlaneMap,
    trunk_px: Array,
    trunk_height_mm: float,
    card_px: Array | None = None,
) -> PlanView:
    """Rectify a square of 3.4 trunk diameters to each side of the trunk.

    Parameters
    ----------
    picture : (height, width, 3), red, green, blue. trunk_px : (n, 2), the marked outline.
    card_px : (n, 2), outline of the card, which lies over the ground.
    """
    import cv2  # heavy: only where a photo is really looked at

    rows = len(plane.foot)
    outline = plane.to_plane(np.broadcast_to(trunk_px, (rows, *trunk_px.shape)), trunk_height_mm)
    outline = geometry.smooth_outline(outline)
    area, centre = geometry.area_and_centroid(outline[:1])
    trunk_mm = float(2 * np.sqrt(area[0] / np.pi))
    # Cells go with the trunk, so that all that follows may be said in cells.
    cell = trunk_mm / CELLS_PER_TRUNK
    half = round(REACH_TRUNKS * CELLS_PER_TRUNK)
    corner = centre[0] - half * cell
    side = 2 * half + 1
    axis = np.arange(side) * cell
    x, y = np.meshgrid(axis + corner[0], axis + corner[1])
    places = plane.to_photo(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32)
    u, v = places.reshape(side, side, 2).transpose(2, 0, 1)
    height, width = picture.shape[:2]
    # Ground outside the photo is unknown, not soil.
    inside = (u >= 0) & (v >= 0) & (u <= width - 1) & (v <= height - 1)
    under_card = np.zeros(inside.shape, bool)
    if card_px is not None:
        paper = np.zeros((height, width), np.uint8)
        cv2.fillPoly(paper, [np.round(card_px).astype(np.int32)], 1)
        under_card = inside & (cv2.remap(paper, u, v, cv2.INTER_NEAREST) > 0)
    known = inside & ~under_card
    part, u, v = _close_up(picture, u, v, cell * plane.px_per_mm(trunk_px.mean(axis=0)))
    colour = cv2.remap(part, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    colour[~known] = part.reshape(-1, 3).mean(axis=0)
    trunk = (outline[0] - corner) / cell
    return PlanView(
        colour=np.asarray(colour, np.uint8),
        known=known,
        under_card=under_card,
        trunk=trunk,
        cell_mm=cell,
        corner_mm=corner,
        centre_mm=centre[0],
        trunk_mm=trunk_mm,
        plane=plane,
    )


def _close_up(
    picture: Picture, u: npt.NDArray[np.float32], v: npt.NDArray[np.float32], px_per_cell: float
) -> tuple[Picture, npt.NDArray[np.float32], npt.NDArray[np.float32]]:
    """The part of the photo that is needed, softened where the grid is coarser than it."""
    import cv2

    height, width = picture.shape[:2]
    left, top = (max(0, int(part.min()) - 8) for part in (u, v))
    right, low = min(width, int(u.max()) + 9), min(height, int(v.max()) + 9)
    right, low = max(right, left + 1), max(low, top + 1)
    part = picture[min(top, height - 1) : low, min(left, width - 1) : right]
    if px_per_cell > 1 / FINEST_PX_PER_CELL:
        # Blurred to the size of a cell before it is thinned out.
        part = np.asarray(cv2.GaussianBlur(part, (0, 0), 0.45 * px_per_cell), np.uint8)
    return part, u - np.float32(left), v - np.float32(top)
