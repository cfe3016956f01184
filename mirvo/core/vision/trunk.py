"""The trunk's outline proposed from the photo: where the roots run together, and how wide.

The model sees roots and trunk at the scale of the trunk, which nobody has told yet; so it looks at
several scales. At each the roots vote for the place they come from, and the scale at which most
agree is about right. A standing trunk hides ground behind it and leans, and its bark may pass for
anything, so its foot is sought where the roots come from, not where a trunk is seen.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.plane_map import PlaneMap
from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.root_model import (
    LOOKS_AT_ONE_SCALE,
    PX_PER_TRUNK,
    Look,
    Map,
    SeenRoots,
    see_roots,
)

Picture = npt.NDArray[np.uint8]
# From a shoot to a thick field-grown trunk; each look serves for a third more or less. The finest
# takes longest and sees roots in grains of soil: only where the others show no clear foot.
TRUNKS_MM, FINEST_MM = (130.0, 74.0, 42.0), 24.0
CLEAR, LEAST = 15.0, 11.5
# Finer looks find more bits of root; what each counts goes by the size looked for, to this power.
BY_SIZE, SIZE_MM = 0.8, 42.0
# How far to each side of the picture's middle is looked, mm.
REACH_MM = 200.0
# Over the whole photo once, then close by from four sides.
FIRST_LOOK: tuple[Look, ...] = LOOKS_AT_ONE_SCALE[:1]
AROUND_TRUNKS, CLOSER_LOOKS = 2.5, 2
CLOSE_MM = (18.0, 170.0)
# A closer look agrees that shows the trunk not wider or narrower than by this, nor farther aside;
# one that is off by no more than the second may be right at the size it shows.
AGREES, MAY_AGREE, ASIDE = 1.35, 2.0, 0.4
RAYS, KEPT = 72, 24
# How far the whole outline lies off, of the trunk's diameter, on scenes of other renderers: where a
# closer look agrees, and where none does.
OFF_SHARE, OFF_UNCLEAR = 0.09, 0.2
NOT_SEEN = "the trunk is not clear enough in the photo to be found; drag an ellipse round it"
# From how much root and trunk together it is wood; how far the trunk's middle may lie from where
# the roots seem to meet, trunks; and what of the wood's widest place is trunk, on traced scenes.
WOOD, STRAY = 0.4, 0.3
LARGEST_OF_HUB, TRUNK_OF_WOOD = 1.2, 0.93
# Votes: directions that vote apart, cells to a square of votes, how far back, trunks, how they fade
# with it, and how far they spread at the root and more with each trunk.
SIDES, COARSE, BACK = 8, 4, np.arange(0.05, 1.6, 0.1)
FADE, SPREAD, SPREADING = 0.8, 0.06, 0.12
# How much of a circle is wood where it has not parted into roots, what of that is trunk, and how
# wide a trunk may be of the one looked for.
SOLID, TRUNK_OF_SOLID, UNPARTED = 0.6, 0.87, 0.7
NARROWEST, WIDEST = 0.6, 1.7


@dataclass(frozen=True)
class ProposedTrunk:
    """outline : (24, 2), px, clockwise from above. sd_px : how far the whole of it may lie off.
    seen : whether the trunk itself is seen there, not only the roots that come from it."""

    outline: Array
    sd_px: float
    seen: bool


@dataclass(frozen=True)
class _Look:
    """What was seen at one scale: cells of `cell_mm`, the first at corner_mm."""

    seen: SeenRoots
    cell_mm: float
    corner_mm: Array
    trunk_mm: float

    def mm(self, cells: Array) -> Array:
        return np.asarray(cells * self.cell_mm + self.corner_mm)


def propose_trunk(picture: Picture, plane: PlaneMap) -> ProposedTrunk:
    """The trunk's outline at the root plane.

    Parameters
    ----------
    picture : (h, w, 3), red, green, blue, full size.

    Raises
    ------
    BadInput : no base is seen in the photo.
    """
    whole = _whole(picture, plane)

    def looked(mm: float) -> _Foot | None:
        return _foot(_look(picture, plane, mm, *whole, FIRST_LOOK))

    seen = [foot for mm in TRUNKS_MM if (foot := looked(mm))]
    if all(foot.clear < CLEAR for foot in seen):
        seen += [foot for foot in (looked(FINEST_MM),) if foot]
    best = max(seen, key=lambda foot: foot.clear, default=None)
    if best is None or best.clear < LEAST:
        raise BadInput("trunk", NOT_SEEN)
    closer = _closer(picture, plane, best)
    look, middle, radii = closer or best.round
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    ring = middle + radii[:, None] * np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    outline = plane.to_photo(look.mm(ring[:: RAYS // KEPT]))
    across = float(2 * np.median(radii) * look.cell_mm * plane.px_per_mm(outline.mean(axis=0)))
    off = OFF_SHARE if closer else OFF_UNCLEAR
    return ProposedTrunk(outline, off * across, closer is not None)


# A look, the trunk's middle (2,) and its radii (RAYS,) in it, cells.
_Round = tuple[_Look, Array, Array]


@dataclass(frozen=True)
class _Foot:
    """Where roots meet in a look.

    at : (2,), cells. votes : more of more roots, wider and clearer ones. wide : of the trunk
    there, in trunks of the size looked for.
    """

    look: _Look
    at: Array
    votes: float
    wide: float

    @property
    def clear(self) -> float:
        return self.votes * float((self.look.trunk_mm / SIZE_MM) ** BY_SIZE)

    @property
    def round(self) -> _Round:
        return self.look, self.at, np.full(RAYS, self.wide * PX_PER_TRUNK / 2)


def _closer(picture: Picture, plane: PlaneMap, foot: _Foot) -> _Round | None:
    """Once more from close by and at the size that was seen, at which roots and trunk are told
    apart best; turned about as well, which takes too long over the whole photo. None where no
    trunk of about that size is seen there."""
    size, at = foot.wide * foot.look.trunk_mm, foot.look.mm(foot.at)
    for _ in range(CLOSER_LOOKS):
        size = float(np.clip(size, *CLOSE_MM))
        reach = AROUND_TRUNKS * size
        look = _look(picture, plane, size, at - reach, at + reach, LOOKS_AT_ONE_SCALE)
        again = _foot(look)
        if again is None:
            return None
        middle, radii = _round_about(look, again.at)
        wide = 2 * float(np.sqrt((radii**2).mean())) / PX_PER_TRUNK
        off = max(wide, 1 / wide)
        if float(np.hypot(*(look.mm(middle) - at))) > ASIDE * size or off > MAY_AGREE:
            return None
        if off < AGREES:
            return look, middle, radii
        size *= wide
    return None


def _whole(picture: Picture, plane: PlaneMap) -> tuple[Array, Array]:
    """The corners (2,), mm, between which the whole photo is looked over."""
    height, width = picture.shape[:2]
    middle = np.array([[(width - 1) / 2, (height - 1) / 2]])
    frame = np.array([[0.0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]])
    rows = len(plane.foot)
    on_plane = plane.to_plane(np.broadcast_to(np.concatenate([frame, middle]), (rows, 5, 2)))[0]
    low = np.maximum(on_plane[:4].min(axis=0), on_plane[4] - REACH_MM)
    high = np.minimum(on_plane[:4].max(axis=0), on_plane[4] + REACH_MM)
    return low, high


def _look(
    picture: Picture,
    plane: PlaneMap,
    trunk_mm: float,
    low: Array,
    high: Array,
    looks: tuple[Look, ...],
) -> _Look:
    """A look at the photo from low to high (2,), mm, as if the trunk were so wide."""
    import cv2  # heavy: only where a photo is really looked at

    cell = trunk_mm / PX_PER_TRUNK
    across, down = np.maximum(16, np.ceil((high - low) / cell)).astype(int)
    x, y = np.meshgrid(np.arange(across) * cell + low[0], np.arange(down) * cell + low[1])
    at = plane.to_photo(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32)
    at = at.reshape(down, across, 2)
    fine = cell * plane.px_per_mm(at[down // 2, across // 2])
    seen_at = cv2.GaussianBlur(picture, (0, 0), 0.45 * fine) if fine > 1.4 else picture
    view = np.asarray(
        cv2.remap(
            seen_at, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ),
        np.uint8,
    )
    nobody_drew = np.zeros(view.shape[:2], np.uint8)
    return _Look(see_roots(view, nobody_drew, PX_PER_TRUNK, looks), cell, low, trunk_mm)


def _foot(look: _Look) -> _Foot | None:
    """Where the roots' headings run together; None where too few roots are seen.

    Each bit of root votes for the places behind it, the nearer ones first, less exactly the
    farther they are. Eight directions vote apart, and what one says alone counts little: a foot
    has roots about it.
    """
    import cv2

    seen = look.seen
    root = seen.root > WOOD
    if root.sum() < PX_PER_TRUNK * 2:
        return None
    at = np.argwhere(root)[:, ::-1].astype(float)
    way = seen.ahead[root].astype(float)
    length = np.hypot(*way.T)
    weight = seen.root[root] * np.minimum(length, 1.0)
    way /= np.maximum(length, 1e-6)[:, None]
    turn = np.arctan2(way[:, 1], way[:, 0]) / (2 * np.pi)
    side = np.round(turn * SIDES).astype(int) % SIDES
    height, width = (cells // COARSE + 1 for cells in root.shape)
    votes = np.zeros((SIDES, height, width), np.float32)
    for back in BACK:
        behind = np.round((at - back * PX_PER_TRUNK * way) / COARSE).astype(int)
        within = (behind >= 0).all(axis=1) & (behind < [width, height]).all(axis=1)
        given = np.zeros_like(votes)
        np.add.at(given, (side[within], behind[within, 1], behind[within, 0]), weight[within])
        spread = (SPREAD + SPREADING * back) * PX_PER_TRUNK / COARSE
        votes += np.exp(-back / FADE) * np.stack(
            [cv2.GaussianBlur(one, (0, 0), spread) for one in given]
        )
    total = np.sqrt(votes).sum(axis=0)
    y, x = np.unravel_index(int(total.argmax()), total.shape)
    foot = np.array([x, y], float) * COARSE
    return _Foot(look, foot, float(total[y, x]), _wide(look, foot))


def _wide(look: _Look, foot: Array) -> float:
    """How wide the wood about a foot is before it parts into roots, in trunks looked for."""
    steps = np.arange(6.0, 1.1 * PX_PER_TRUNK)
    solid = (_along_rays(look.seen.root + look.seen.trunk, foot, steps) > WOOD).mean(axis=0) > SOLID
    if not solid.any():
        return UNPARTED
    # The first that parts: a root that circles is solid as well, but farther out.
    first = int(solid.argmax())
    parted = ~solid[first:]
    last = first + int(parted.argmax()) - 1 if parted.any() else len(steps) - 1
    wide = 2 * float(steps[last]) * TRUNK_OF_SOLID / PX_PER_TRUNK
    return float(np.clip(wide, NARROWEST, WIDEST))


def _along_rays(values: Map, middle: Array, steps: Array) -> Array:
    """Values (RAYS, k) at the steps (k,), cells, from a middle, clockwise from above."""
    import cv2

    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    direction = np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    at = (middle + steps[None, :, None] * direction[:, None]).astype(np.float32)
    return np.asarray(cv2.remap(values, at[..., 0], at[..., 1], cv2.INTER_LINEAR))


def _round_about(look: _Look, foot: Array) -> tuple[Array, Array]:
    """The middle (2,) and the radii (RAYS,), cells, of the trunk about a foot.

    The trunk's foot is the widest place of all that is wood near where the roots run together.
    """
    import cv2
    from scipy.ndimage import binary_fill_holes, gaussian_filter1d

    wood = look.seen.root + look.seen.trunk
    solid = binary_fill_holes(cv2.GaussianBlur(wood, (0, 0), 2.0) > WOOD)
    deep = cv2.distanceTransform(solid.astype(np.uint8), cv2.DIST_L2, 5)
    y, x = np.indices(deep.shape)
    away = np.hypot(x - foot[0], y - foot[1]) / PX_PER_TRUNK
    # A cut top that leans over is wide too, but lies farther from where the roots meet.
    middle_at = np.unravel_index(int((deep * np.exp(-((away / STRAY) ** 2))).argmax()), deep.shape)
    middle = np.array([middle_at[1], middle_at[0]], float)
    hub = max(float(deep[middle_at]), 1.5)
    steps = np.arange(1.0, 2.0 * hub + 3.0)
    out = _along_rays(wood, middle, steps) < WOOD
    radii = steps[np.where(out.any(axis=1), out.argmax(axis=1), len(steps) - 1)]
    # Along a root the wood goes on; the trunk does not.
    radii = np.clip(radii, 0.9 * hub, LARGEST_OF_HUB * hub)
    radii = gaussian_filter1d(radii, 4.0, mode="wrap") * TRUNK_OF_WOOD
    return middle, radii
