"""Finding the printed card in a photo, and saying what is wrong when it cannot be used."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import card_layout
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.edges import edge_offsets
from mirvo.core.vision.marker_edges import fit_marker
from mirvo.core.vision.marker_places import FEW, Part, likely_parts, squares

Grey = npt.NDArray[np.uint8]
# The usual size first, which shows a card of use and little noise; larger for a small card.
WORKING_SIDES = (1300, 2000, 3400)
EVENED_SIDE = 2000
MARKERS = (0, 1, 2, 3)
# White paper round the markers, and its edge, which looks like a root.
MARGIN_MM = 13.0
# Twelve corners still fix a camera.
ENOUGH_MARKERS = 3
SAMPLES_PER_SIDE = 24
CELLS_PER_MARKER = 6
MAX_EDGE_SEARCH_PX = 9.0
# Markers people have at hand from elsewhere; it helps to say that they are not the card.
CARD_BOOK = "4X4_50"
OTHER_BOOKS = ("5X5_250", "6X6_250", "7X7_250", "APRILTAG_36H11", "ARUCO_ORIGINAL")
NO_CARD = "no card was found in the photo"


def find_card(grey: Grey) -> Array:
    """Sub-pixel marker corners of the one card in a photo.

    Parameters
    ----------
    grey : (height, width), 8-bit.

    Returns
    -------
    (16, 2), px: ids 0 to 3, each clockwise from its top left; NaN for one that is hidden, of
    which there may be one.

    Raises
    ------
    BadInput : no card, part of a card, more than one, a mirrored picture, or markers of
        another kind; the sentence says which.
    """
    seen: dict[int, Array] = {}
    for picture, shrink in _versions(grey):
        found = _markers(picture, shrink, CARD_BOOK, _parts_of(picture))
        _only_one(found)
        for number, corners in found:
            # The first size that shows a marker places it; the others only fill in what it
            # missed.
            seen.setdefault(number, corners)
        if all(number in seen for number in MARKERS):
            break
    there = [number for number in MARKERS if number in seen]
    if len(there) < ENOUGH_MARKERS:
        raise _why_not(grey, seen)
    _lies_as_printed(np.stack([seen[number] for number in there]))
    _no_other_in_its_place(seen, there)
    hidden = np.full((4, 2), np.nan)
    return np.concatenate(
        [_sharpened(grey, seen[number], number) if number in seen else hidden for number in MARKERS]
    )


def sheet_px(corners: Array) -> Array:
    """Outline (4, 2), px, of the paper round the markers, from their corners (16, 2), px."""
    import cv2  # heavy: only where a photo is really looked at

    seen, printed = np.isfinite(corners).all(axis=1), card_layout()
    onto, _ = cv2.findHomography(printed[seen], corners[seen])
    low, high = printed.min(axis=0) - MARGIN_MM, printed.max(axis=0) + MARGIN_MM
    edge = np.array([[low[0], low[1]], [high[0], low[1]], [high[0], high[1]], [low[0], high[1]]])
    raised = np.column_stack([edge, np.ones(4)]) @ np.asarray(onto).T
    return np.asarray(raised[:, :2] / raised[:, 2:])


def _versions(grey: Grey) -> Iterator[tuple[Grey, float]]:
    """The picture at several sizes, the last with its contrast evened, against part shadow."""
    import cv2  # heavy: only where a photo is really measured

    def at(side: int) -> tuple[Grey, float]:
        shrink = max(1.0, max(grey.shape) / side)
        small = cv2.resize(grey, None, fx=1 / shrink, fy=1 / shrink, interpolation=cv2.INTER_AREA)
        return np.asarray(small, np.uint8), shrink

    for side in WORKING_SIDES:
        picture, shrink = at(side)
        yield picture, shrink
        if shrink == 1.0:
            break
    # Last: a card half in shade, its contrast evened.
    picture, shrink = at(EVENED_SIDE)
    evened = cv2.createCLAHE(4.0, (12, 12)).apply(picture)
    yield np.asarray(evened, np.uint8), shrink


def _markers(picture: Grey, shrink: float, book: str, parts: list[Part]) -> list[tuple[int, Array]]:
    """Numbers and corners of the markers of a book in parts of a picture."""
    found = []
    for part in parts:
        rows, columns = part
        found += _read(picture[part], shrink, book, (columns.start, rows.start))
    return found


def _parts_of(picture: Grey) -> list[Part]:
    quads = squares(picture)
    if len(quads) <= FEW:
        return [(slice(0, picture.shape[0]), slice(0, picture.shape[1]))]
    # On a mesh the reader would compare each square with every other, for minutes.
    return likely_parts(picture, quads)


def _read(
    picture: Grey, shrink: float, book: str, corner: tuple[int, int]
) -> list[tuple[int, Array]]:
    """Numbers and corners of the markers in a part of a picture that begins at `corner`."""
    import cv2

    parameters = cv2.aruco.DetectorParameters()
    parameters.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    parameters.adaptiveThreshWinSizeMax = 43
    parameters.minMarkerPerimeterRate = 0.02
    dictionary = cv2.aruco.getPredefinedDictionary(getattr(cv2.aruco, f"DICT_{book}"))
    found, ids, _ = cv2.aruco.ArucoDetector(dictionary, parameters).detectMarkers(
        np.ascontiguousarray(picture)
    )
    if ids is None:
        return []
    return [
        # Half a pixel: the small picture's cells lie between those of the large one.
        (int(number), (corners.reshape(4, 2).astype(float) + corner + 0.5) * shrink - 0.5)
        for corners, number in zip(found, ids.ravel(), strict=True)
    ]


def _only_one(found: list[tuple[int, Array]]) -> None:
    numbers = [number for number, _ in found if number in MARKERS]
    if len(set(numbers)) < len(numbers):
        raise BadInput("calibration", "more than one card lies in the photo; leave only one")


def _why_not(grey: Grey, seen: dict[int, Array]) -> BadInput:
    missing = [str(number) for number in MARKERS if number not in seen]
    if len(missing) < len(MARKERS):
        gone = f"marker {missing[0]} is"
        if len(missing) > 1:
            gone = f"markers {', '.join(missing[:-1])} and {missing[-1]} are"
        return BadInput(
            "calibration",
            f"only part of the card was found: {gone} missing, covered or cut off; lay the whole "
            "card in the picture",
        )
    if seen:
        numbers = ", ".join(str(number) for number in sorted(seen))
        return BadInput(
            "calibration", f"markers {numbers} are not those of the card (0 to 3); print the card"
        )
    picture, shrink = next(_versions(grey))
    # A selfie camera mirrors; its figures would be mirrored as well.
    mirrored = np.ascontiguousarray(picture[:, ::-1])
    turned = [number for number, _ in _markers(mirrored, shrink, CARD_BOOK, _parts_of(mirrored))]
    if sum(number in MARKERS for number in turned) > 1:
        return BadInput(
            "calibration", "the card is seen mirrored; take the photo as the camera made it"
        )
    parts = _parts_of(picture)
    if any(len(_markers(picture, shrink, book, parts)) > 1 for book in OTHER_BOOKS):
        return BadInput(
            "calibration", "the markers in the photo are of another kind; print the card"
        )
    return BadInput("calibration", NO_CARD)


def _lies_as_printed(corners: Array) -> None:
    """The four markers must run clockwise round the card, each of much the same size."""
    middles = corners.mean(axis=1)
    side, next_side = np.roll(middles, -1, axis=0) - middles, np.roll(middles, -2, axis=0)
    next_side = next_side - np.roll(middles, -1, axis=0)
    turns = side[:, 0] * next_side[:, 1] - side[:, 1] * next_side[:, 0]
    # Seen from below or cut up and laid anew, the order runs the other way.
    if not (turns > 0).all():
        raise BadInput(
            "calibration",
            "the markers do not lie as on the card (0, 1, 2, 3 clockwise); print the card whole",
        )


def _no_other_in_its_place(seen: dict[int, Array], there: list[int]) -> None:
    """A marker that is hidden may be; another one where it should lie is a card of another kind."""
    missing = [number for number in MARKERS if number not in there]
    if not missing:
        return
    before, opposite, after = (seen[(missing[0] + step) % 4].mean(axis=0) for step in (-1, 2, 1))
    place = before + after - opposite
    side = float(np.hypot(*(seen[there[0]][1] - seen[there[0]][0])))
    for number, corners in seen.items():
        if number not in MARKERS and np.hypot(*(corners.mean(axis=0) - place)) < side:
            raise BadInput(
                "calibration",
                f"marker {number} lies where marker {missing[0]} of the card should; print the "
                "card again",
            )


def _sharpened(grey: Grey, marker: Array, number: int) -> Array:
    """Corners (4, 2) from all edges of a marker's print; of a small one from its outer edge.

    A marker's corner stands out in one quarter only, which draws a corner detector
    aside; its edges have no such bias.
    """
    fit = fit_marker(grey, marker, number)
    if fit is not None:
        return fit.corners
    sides = [_edge_line(grey, marker[i], marker[(i + 1) % 4]) for i in range(4)]
    return np.stack([_meet(sides[i - 1], sides[i]) for i in range(4)])


def _edge_line(grey: Grey, start: Array, end: Array) -> tuple[Array, Array]:
    """A point of the edge and its direction, from the steepest change across it."""
    along = end - start
    length = float(np.hypot(*along))
    across = np.array([along[1], -along[0]]) / length
    # Not near the corners, where the next side disturbs the edge.
    share = np.linspace(0.1, 0.9, SAMPLES_PER_SIDE)
    spots = start + share[:, None] * along
    reach = min(MAX_EDGE_SEARCH_PX, 0.4 * length / CELLS_PER_MARKER)
    offsets, strength = edge_offsets(grey, spots, across, max(2.0, reach))
    # A shadow or leaf across the edge has a weaker step than print has.
    sound = strength > 0.4 * np.median(strength)
    # A line, what lies far off it left out, and the line once more.
    for _ in range(2):
        weights = np.polyfit(share[sound], offsets[sound], 1)
        away = np.abs(offsets - np.polyval(weights, share))
        sound &= away <= max(0.25, 2.5 * float(np.median(away[sound])))
        if sound.sum() < 6:
            return start, along
    low, high = np.polyval(weights, 0.0), np.polyval(weights, 1.0)
    return start + low * across, along + (high - low) * across


def _meet(line: tuple[Array, Array], other: tuple[Array, Array]) -> Array:
    """Where two lines, each a point and a direction, cross."""
    system: Any = np.stack([line[1], -other[1]], axis=1)
    share = np.linalg.solve(system, other[0] - line[0])
    return np.asarray(line[0] + share[0] * line[1])
