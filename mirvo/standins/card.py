"""The printed card as the simulated camera sees it: four markers on a white sheet."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]
Grid = npt.NDArray[np.float32]
MARKER_MM = 30.0
ACROSS_MM, DOWN_MM = 120.0, 80.0
MARGIN_MM = 10.0
TEXTURE_PX_PER_MM = 8


@dataclass(frozen=True)
class CardPlace:
    """Where the card lies: its middle in the plan frame, its turn (clockwise), its height."""

    x_mm: float = 0.0
    y_mm: float = -195.0
    turn_deg: float = 0.0
    height_mm: float = 12.0
    shade: float = 1.0

    def corners(self) -> Array:
        """Marker corners (16, 2), plan frame: ids 0 to 3, each clockwise from its top left."""
        half = MARKER_MM / 2
        middles = [(-60.0, 40.0), (60.0, 40.0), (60.0, -40.0), (-60.0, -40.0)]
        square = [(-half, half), (half, half), (half, -half), (-half, -half)]
        return self._placed(np.array([[x + a, y + b] for x, y in middles for a, b in square]))

    def sheet(self) -> Array:
        """The four corners of the paper, clockwise from its top left, plan frame."""
        x = ACROSS_MM / 2 + MARKER_MM / 2 + MARGIN_MM
        y = DOWN_MM / 2 + MARKER_MM / 2 + MARGIN_MM
        return self._placed(np.array([[-x, y], [x, y], [x, -y], [-x, -y]]))

    def _placed(self, points: Array) -> Array:
        turn = np.radians(self.turn_deg)
        x = points[:, 0] * np.cos(turn) + points[:, 1] * np.sin(turn)
        y = -points[:, 0] * np.sin(turn) + points[:, 1] * np.cos(turn)
        return np.stack([x + self.x_mm, y + self.y_mm], axis=1)


def print_card(ids: tuple[int, ...] = (0, 1, 2, 3)) -> npt.NDArray[np.uint8]:
    """Greyscale print, `TEXTURE_PX_PER_MM` px per mm, white margin all round."""
    side = int(MARKER_MM * TEXTURE_PX_PER_MM)
    margin = int(MARGIN_MM * TEXTURE_PX_PER_MM)
    right, low = int(ACROSS_MM * TEXTURE_PX_PER_MM), int(DOWN_MM * TEXTURE_PX_PER_MM)
    # Paper is not white and print not black: a camera never sees 0 or 255 of them.
    sheet = np.full((low + side + 2 * margin, right + side + 2 * margin), 236, np.uint8)
    book = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50)
    for number, (x, y) in zip(ids, [(0, 0), (right, 0), (right, low), (0, low)], strict=True):
        marker = np.maximum(cv2.aruco.generateImageMarker(book, number, side), 26)
        sheet[margin + y : margin + y + side, margin + x : margin + x + side] = marker
    return sheet


def lay_card(picture: Grid, place: CardPlace, sheet_px: Array, level: Grid) -> None:
    """Paint the card into a rendered picture, hidden where the scene stands higher.

    sheet_px : (4, 2), where the corners of the paper are seen, px.
    level : height of the surface seen at every pixel, mm.
    """
    lay_card_print(picture, sheet_px, level <= place.height_mm, place.shade)


def lay_card_print(
    picture: Grid, sheet_px: Array, seen: npt.NDArray[np.bool_] | None = None, shade: float = 1.0
) -> None:
    """Paint the print over four corners (4, 2) px, where `seen` (height, width) allows."""
    texture: Grid = print_card().astype(np.float32)
    length = float(np.hypot(*(sheet_px[1] - sheet_px[0])))
    # Seen from far away the print is smaller than drawn; unsoftened its edges would flicker.
    shrink = texture.shape[1] / length
    if shrink > 1:
        texture = np.asarray(cv2.GaussianBlur(texture, (0, 0), 0.42 * shrink), np.float32)
    h, w = texture.shape
    # Pixels are counted at their middles, so the edge lies half a pixel further out.
    from_corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32) - np.float32(0.5)
    onto = cv2.getPerspectiveTransform(from_corners, sheet_px.astype(np.float32))
    size = (picture.shape[1], picture.shape[0])
    print_seen = cv2.warpPerspective(texture, onto, size, flags=cv2.INTER_LINEAR)
    # How much of a pixel the card covers; at its rim a part.
    share = cv2.warpPerspective(np.ones_like(texture), onto, size, flags=cv2.INTER_LINEAR)
    if seen is not None:
        share[~seen] = 0
    part = share[..., None]
    picture[:] = picture * (1 - part) + (print_seen * shade)[..., None] * part
