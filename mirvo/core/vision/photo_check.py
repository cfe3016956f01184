"""Whether a photo is good enough to measure on, told before anyone marks it, with what to do.

What costs precision is said with the size of it; nothing here changes a figure.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import CROPPED, calibrate, card_layout
from mirvo.core.measure.contract import CardCalibration
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.uncertainty import Array, Draws
from mirvo.core.record import Record
from mirvo.core.vision.card import sheet_px

Picture = npt.NDArray[np.uint8]
# Below this a root of 5 mm is hardly ten pixels wide.
MIN_PX_PER_MM, MIN_SIDE_PX = 2.0, 1200
# What stands up hides what lies behind it, and bases are seen aslant.
MAX_TILT_DEG = 28.0
# An edge in a sharp photo rises within a pixel or two.
MAX_SOFT_SHARE, MAX_SOFT_MM, MIN_SOFT_PX = 0.0016, 0.9, 1.6
# An edge rises from a tenth to nine tenths within so many deviations of its blur.
RISE = 2.56
WHITE, MAX_WHITE_SHARE = 250, 0.05
DARK, MAX_DARK_MEDIAN = 12, 34.0
CARD_CLIPPED, MAX_CARD_CLIPPED_SHARE, MAX_CARD_SHADE = 253, 0.5, 1.5
# Only dapples are told from things this way: one shadow's edge looks like any other edge.
SHADE_STEP, SHADE_TINT, SHADE_TURN, MAX_SHADE_SHARE = 0.4, 0.03, 0.18, 0.04
COARSE_SIDE, SCALE_DRAWS = 480, 64
USUAL_SHAPES = (4 / 3, 3 / 2, 16 / 9, 1.0, 5 / 4)
EDGE_SHARE, EDGE_WINDOW = 0.002, 15


class Remark(Record):
    """about : what of the photo is meant, one word. text : what is wrong, and what to do."""

    about: str
    text: str


@dataclass(frozen=True)
class Shot:
    """A photo to be looked at.

    picture : (h, w, 3), red, green, blue, upright. corners : (16, 2), px, of the card's markers,
    None without a card. said_size : width and height the file says the camera gave it, px.
    no_use : why a card that is there is of no use; empty where it is, or where there is none.
    """

    picture: Picture
    info: PhotoInfo
    corners: Array | None
    view: str
    said_size: tuple[int, int] | None = None
    no_use: str = ""


@dataclass(frozen=True)
class _Told:
    """What the card tells: scale, the camera's tilt, the scale's relative ±, and whether the
    photo is a part of what the camera took."""

    px_per_mm: float
    tilt_deg: float
    scale_error: float
    cropped: bool


def check_photo(shot: Shot) -> tuple[Remark, ...]:
    """What stands in the way of measuring on a photo, the worst first."""
    card = _told_by_card(shot)
    return (
        *_of_size(shot, card),
        *_of_sharpness(shot, card),
        *_of_light(shot),
        *_of_card(shot, card),
    )


def _of_size(shot: Shot, card: _Told | None) -> Iterator[Remark]:
    height, width = shot.picture.shape[:2]
    if card is not None and card.px_per_mm < MIN_PX_PER_MM:
        yield Remark(
            about="small",
            text=f"One millimetre is only {card.px_per_mm:.1f} px wide, so a root of 5 mm is "
            f"{5 * card.px_per_mm:.0f} px. Go nearer, or send the photo at its full size.",
        )
    elif card is None and max(width, height) < MIN_SIDE_PX:
        yield Remark(
            about="small",
            text=f"The photo is only {width} × {height} px. Send it at its full size.",
        )
    if shot.view == "top" and card is not None and card.tilt_deg > MAX_TILT_DEG:
        yield Remark(
            about="oblique",
            text=f"The camera looked aslant, {card.tilt_deg:.0f}° from straight down. Roots behind "
            "the trunk are hidden and the ± grows. Hold it straight above, within some 20°.",
        )
    if _is_cropped(shot) or (card is not None and card.cropped):
        yield Remark(
            about="cropped",
            text="The photo looks cropped, so the lens cannot be reckoned from what the file says. "
            "Put in the photo as the camera made it.",
        )


def _is_cropped(shot: Shot) -> bool:
    height, width = shot.picture.shape[:2]
    shape = max(width, height) / min(width, height)
    if shot.said_size is not None and min(shot.said_size) > 0:
        said = max(shot.said_size) / min(shot.said_size)
        # Made smaller as a whole it keeps its shape.
        return bool(abs(said / shape - 1) > 0.02)
    # Without a word of the camera only an odd shape tells.
    return shot.info.focal_length_35mm is not None and all(
        abs(shape / usual - 1) > 0.03 for usual in USUAL_SHAPES
    )


def _of_sharpness(shot: Shot, card: _Told | None) -> Iterator[Remark]:
    soft = softness_px(shot.picture)
    too_soft = soft > MAX_SOFT_SHARE * max(shot.picture.shape[:2])
    wide = f"{RISE * soft:.0f} px"
    if card is not None:
        too_soft = soft > MAX_SOFT_MM * card.px_per_mm and soft > MIN_SOFT_PX
        wide = f"{RISE * soft / card.px_per_mm:.1f} mm"
    if not too_soft:
        return
    yield Remark(
        about="blurred",
        text=f"The photo is blurred: its sharpest edges are {wide} wide. Rest the hands on "
        "something, tap on the base to focus, and take it again.",
    )


def softness_px(picture: Picture) -> float:
    """Deviation of the blur, px, of the sharpest edges: their height by their steepness.

    An edge blurred by a Gaussian of deviation s rises at most by height / (s √(2π)) a pixel.
    """
    import cv2  # heavy: only where a photo is really looked at

    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY).astype(np.float32)
    # Lightly smoothed, so that noise is no edge; what that adds is taken off again.
    smooth = cv2.GaussianBlur(grey, (0, 0), 1.0)
    right, down = (cv2.Sobel(smooth, cv2.CV_32F, *way, ksize=1) / 2 for way in ((1, 0), (0, 1)))
    steep = cv2.magnitude(right, down)
    around = np.ones((EDGE_WINDOW, EDGE_WINDOW), np.uint8)
    high = cv2.dilate(smooth, around) - cv2.erode(smooth, around)
    sharpest = steep >= np.quantile(steep[::3, ::3], 1 - EDGE_SHARE)
    # A thin line has no height of its own; of an edge both sides are level.
    spread = float(np.quantile((high[sharpest] / np.maximum(steep[sharpest], 1e-3)), 0.3))
    return float(np.sqrt(max(0.0, (spread / np.sqrt(2 * np.pi)) ** 2 - 1.0)))


def _of_light(shot: Shot) -> Iterator[Remark]:
    import cv2

    height, width = shot.picture.shape[:2]
    ground = np.ones((height, width), np.uint8)
    if shot.corners is not None:
        cv2.fillPoly(ground, [np.round(sheet_px(shot.corners)).astype(np.int32)], 0)
    # What is measured stands in the middle.
    margin = np.zeros_like(ground)
    margin[height // 8 : -(height // 8), width // 8 : -(width // 8)] = 1
    seen = shot.picture[(ground & margin) > 0]
    if not len(seen):
        return
    white = float((seen.min(axis=1) >= WHITE).mean())
    if white > MAX_WHITE_SHARE:
        yield Remark(
            about="glare",
            text=f"{100 * white:.0f}% of the picture is plain white, with no detail left. Take it "
            "in the shade, or with less light; wet bark: from another side.",
        )
    if float(np.median(seen.max(axis=1))) < MAX_DARK_MEDIAN:
        yield Remark(
            about="dark",
            text="The photo is too dark to tell roots from soil. Take it in more light.",
        )
    if dappled_share(shot.picture, ground & margin) > MAX_SHADE_SHARE:
        yield Remark(
            about="shadow",
            text="Hard shadows or dappled light lie on the picture; their edges look like "
            "roots'. Shade the whole base, or wait for a cloud.",
        )


def dappled_share(picture: Picture, ground: npt.NDArray[np.uint8]) -> float:
    """Share of the ground (h, w) where the light falls off at once while the colour stays.

    An edge of things changes both; a shadow's edge changes brightness alone (and turns a little
    to the sky's blue).
    """
    import cv2

    shrink = COARSE_SIDE / max(picture.shape[:2])
    size = (max(8, round(picture.shape[1] * shrink)), max(8, round(picture.shape[0] * shrink)))
    small = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    where = cv2.resize(ground, size, interpolation=cv2.INTER_NEAREST)
    inside = cv2.erode(where, np.ones((9, 9), np.uint8)) > 0
    # Grains and needles go, edges stay.
    small = cv2.medianBlur(small, 9).astype(np.float32) / 255
    linear = np.maximum(small, 0.02) ** 2.2
    log = np.log(linear)
    share = 0.0
    for axis in (0, 1):
        step = log - np.roll(log, 4, axis=axis)
        bright = step.mean(axis=2)
        tint = np.abs(step - bright[..., None]).max(axis=2)
        edge = (np.abs(bright) > SHADE_STEP) & (tint < SHADE_TINT + SHADE_TURN * np.abs(bright))
        share += float(edge[inside].mean()) / 2 if inside.any() else 0.0
    return share


def _of_card(shot: Shot, card: _Told | None) -> Iterator[Remark]:
    if shot.no_use:
        yield Remark(about="card", text=f"{shot.no_use[0].upper()}{shot.no_use[1:]}.")
    if shot.corners is None or card is None:
        return
    cost = f" The scale is known to ±{100 * card.scale_error:.1f}%."
    paper = _white_of_card(shot.picture, shot.corners)
    if len(paper) > 100:
        if float((paper.max(axis=1) >= CARD_CLIPPED).mean()) > MAX_CARD_CLIPPED_SHARE:
            yield Remark(
                about="card",
                text="The card's white is clipped, so its edges swell. That is allowed for."
                f"{cost} Expose a little darker to have it narrower.",
            )
        bright = paper.mean(axis=1) / 255.0
        low, high = np.quantile(bright**2.2, [0.1, 0.9])
        if high > MAX_CARD_SHADE * max(low, 1e-3):
            yield Remark(
                about="card",
                text="A shadow lies across the card." + cost + " Lay it where the light is even.",
            )
    if not np.isfinite(shot.corners).all():
        yield Remark(
            about="card",
            text="One marker of the card is hidden; the other three are used." + cost,
        )


def _white_of_card(picture: Picture, corners: Array) -> Picture:
    """Pixels (n, 3) of the bare paper between the markers."""
    import cv2

    seen = np.isfinite(corners).all(axis=1)
    onto, _ = cv2.findHomography(card_layout()[seen], corners[seen])
    # The middle of the sheet bears nothing but a line of small print.
    x, y = np.meshgrid(np.linspace(22, 98, 60), np.r_[-8:25:24j, 55:88:24j])
    places = np.column_stack([x.ravel(), y.ravel(), np.ones(x.size)]) @ np.asarray(onto).T
    at = (places[:, :2] / places[:, 2:]).astype(np.float32)
    height, width = picture.shape[:2]
    inside = (at > 0).all(axis=1) & (at[:, 0] < width - 1) & (at[:, 1] < height - 1)
    columns, rows = np.round(at[inside]).astype(int).T
    return np.asarray(picture[rows, columns])


def _told_by_card(shot: Shot) -> _Told | None:
    if shot.corners is None:
        return None
    draws = Draws(0.0, SCALE_DRAWS)
    try:
        plane = calibrate(CardCalibration(kind="card"), shot.info, draws, shot.corners)
    except BadInput:
        # The desk says what is wrong with such a card.
        return None
    middle = np.nanmean(shot.corners, axis=0)
    ends = middle + np.array([[0.0, 0.0], [20.0, 0.0]])
    mm = plane.to_plane(np.broadcast_to(ends, (len(plane.foot), 2, 2)), 0.0)
    wide = np.hypot(*(mm[:, 1] - mm[:, 0]).T)
    error = float(1.96 * wide[1:].std() / wide[0])
    cropped = CROPPED in plane.warnings
    return _Told(float(20.0 / wide[0]), plane.tilt_deg or 0.0, error, cropped)
