"""Where in a picture a printed marker may lie, when meshes and tiles offer thousands of squares.

A marker is a dark square on white paper with white cells within. Looking only where that holds
keeps the reading of markers quick on any ground; the reading itself is OpenCV's.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

Grey = npt.NDArray[np.uint8]
Quads = npt.NDArray[np.float32]
Part = tuple[slice, slice]
# Sizes of neighbourhood, px, a pixel is judged dark or light against.
WINDOWS = (13, 31)
MIN_OUTLINE_PX, STRAIGHT_SHARE = 40, 0.05
# Up to so many squares are looked at one by one without a wait.
FEW = 400
CELLS, MIN_STEP = 6, 18.0
# As many rows as OpenCV takes at once.
BATCH = 8000
# Room around a marker for the reader, in sides of it.
ROOM = 0.5


def squares(picture: Grey) -> Quads:
    """Corners (n, 4, 2), px, of all that is outlined by four straight sides."""
    import cv2  # heavy: only where a photo is really looked at

    found = []
    for window in WINDOWS:
        dark = cv2.adaptiveThreshold(
            picture, 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY_INV, window, 7
        )
        outlines, _ = cv2.findContours(dark, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        for outline in outlines:
            if len(outline) < MIN_OUTLINE_PX:
                continue
            corners = cv2.approxPolyDP(outline, STRAIGHT_SHARE * len(outline), True)
            if len(corners) == 4 and cv2.isContourConvex(corners):
                found.append(corners.reshape(4, 2))
    return np.asarray(found, np.float32).reshape(-1, 4, 2)


def likely_parts(picture: Grey, quads: Quads) -> list[Part]:
    """Parts of the picture about those squares (n, 4, 2) that look like a marker on paper."""
    good = [some[_like_markers(picture, some)] for some in _in_batches(quads)]
    return _merged([_about(quad, picture.shape) for part in good for quad in part])


def _in_batches(quads: Quads) -> Iterator[Quads]:
    for first in range(0, len(quads), BATCH):
        yield quads[first : first + BATCH]


def _like_markers(picture: Grey, quads: Quads) -> npt.NDArray[np.bool_]:
    """Which squares are dark at their edge, light around it and of both kinds within (n,)."""
    import cv2

    side = CELLS + 2
    line = (np.arange(-1, CELLS + 1) + 0.5) / CELLS
    u, v = (part.ravel()[None, :, None] for part in np.meshgrid(line, line))
    a, b, c, d = (quads[:, i, None] for i in range(4))
    at = ((1 - u) * (1 - v) * a + u * (1 - v) * b + u * v * c + (1 - u) * v * d).astype(np.float32)
    lit = cv2.remap(
        picture, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    cells = lit.reshape(-1, side, side).astype(float)
    ring = np.ones((side, side), bool)
    ring[1:-1, 1:-1] = False
    frame = ~ring
    frame[2:-2, 2:-2] = False
    paper, black = np.median(cells[:, ring], axis=1), np.median(cells[:, frame], axis=1)
    inside = cells[:, 2:-2, 2:-2].reshape(len(cells), -1)
    step = paper - black
    white_within = inside.max(axis=1) > black + 0.5 * step
    dark_within = inside.min(axis=1) < paper - 0.4 * step
    return np.asarray((step > MIN_STEP) & white_within & dark_within)


def _about(quad: npt.NDArray[np.float32], shape: tuple[int, ...]) -> tuple[int, int, int, int]:
    low, high = quad.min(axis=0), quad.max(axis=0)
    room = ROOM * float((high - low).max()) + 4
    left, top = np.maximum(0, low - room).astype(int)
    right, end = np.minimum([shape[1], shape[0]], high + room + 1).astype(int)
    return int(left), int(top), int(right), int(end)


def _merged(boxes: list[tuple[int, int, int, int]]) -> list[Part]:
    """Each place once: a square is found at several sizes of neighbourhood."""
    kept: list[tuple[int, int, int, int]] = []
    for box in sorted(boxes, key=lambda b: (b[2] - b[0]) * (b[3] - b[1]), reverse=True):
        middle = ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
        within = any(b[0] < middle[0] < b[2] and b[1] < middle[1] < b[3] for b in kept)
        if not within:
            kept.append(box)
    return [(slice(top, end), slice(left, right)) for left, top, right, end in kept]
