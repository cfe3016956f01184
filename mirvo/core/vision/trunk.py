"""The trunk's outline proposed from the photo: where the roots run together, and how wide.

The model sees trunk and roots at the scale of the trunk, which nobody has told yet; so it looks
at several scales, and the one at which the trunk it sees is as wide as it was taken to be is
right. A standing trunk hides ground behind it and leans, so its foot is sought where the roots
come from, not in its middle.
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
    SeenRoots,
    see_roots,
)

Picture = npt.NDArray[np.uint8]
# From a shoot to a thick field-grown trunk; each look serves for a third more or less.
# The smallest takes longest to look for: only where none is seen as well as that.
TRUNKS_MM = (130.0, 74.0, 42.0, 24.0)
ENOUGH = 0.45
# How far to each side of the picture's middle is looked, mm.
REACH_MM = 200.0
# Over the whole photo once, then close by from four sides.
FIRST_LOOK: tuple[Look, ...] = LOOKS_AT_ONE_SCALE[:1]
AROUND_TRUNKS = 2.5
RAYS, KEPT = 72, 24
# How far the whole outline lies off, of the trunk's diameter, on scenes of other renderers.
OFF_SHARE = 0.09
SURE, NEAR_TRUNKS = 0.5, 1.1
ROUNDS = 6
# Both scores of a trunk, from afar and from close by, on average at least.
LEAST_SURE = 0.58
NOT_SEEN = "the trunk is not clear enough in the photo to be found; drag an ellipse round it"
# From how much root and trunk together it is wood; how far the trunk's middle may lie from where
# the roots seem to meet, trunks; and what of the wood's widest place is trunk, on traced scenes.
WOOD, STRAY = 0.4, 0.45
LARGEST_OF_HUB, TRUNK_OF_WOOD = 1.2, 0.93


@dataclass(frozen=True)
class ProposedTrunk:
    """outline : (24, 2), px, clockwise from above. sd_px : how far the whole of it may lie off."""

    outline: Array
    sd_px: float


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
    best: _Seen | None = None
    for mm in TRUNKS_MM:
        if best is None or best.score < ENOUGH:
            seen = _seen(_look(picture, plane, mm, *whole, FIRST_LOOK))
            best = max(filter(None, (best, seen)), key=lambda one: one.score, default=None)
    if best is None:
        raise BadInput("trunk", NOT_SEEN)
    closer = _closer(picture, plane, best)
    # A root with moss beside it may pass for a trunk from afar, but hardly from close by too.
    if closer is None or (best.score + closer.score) / 2 < LEAST_SURE:
        raise BadInput("trunk", NOT_SEEN)
    best = max(best, closer, key=lambda seen: seen.score)
    radii, look, foot = best.radii, best.look, best.foot
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    ring = foot + radii[:, None] * np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    outline = plane.to_photo(look.mm(ring[:: RAYS // KEPT]))
    across = float(2 * np.median(radii) * look.cell_mm * plane.px_per_mm(outline.mean(axis=0)))
    return ProposedTrunk(outline, OFF_SHARE * across)


@dataclass(frozen=True)
class _Seen:
    """A trunk seen at one scale: how well it fits there, its radii (RAYS,) and foot, cells."""

    score: float
    radii: Array
    foot: Array
    look: _Look

    @property
    def wide_mm(self) -> float:
        return 2 * float(np.sqrt((self.radii**2).mean())) * self.look.cell_mm


def _closer(picture: Picture, plane: PlaneMap, seen: _Seen) -> _Seen | None:
    """Once more from close by and at the size that was seen, at which roots and trunk are told
    apart best; turned about as well, which takes too long over the whole photo."""
    size = min(max(seen.wide_mm, TRUNKS_MM[-1]), TRUNKS_MM[0])
    middle, reach = seen.look.mm(seen.foot), AROUND_TRUNKS * size
    corners = middle - reach, middle + reach
    return _seen(_look(picture, plane, size, *corners, LOOKS_AT_ONE_SCALE))


def _seen(look: _Look) -> _Seen | None:
    """The trunk as a look shows it; None where it shows no roots."""
    foot = _foot(look)
    if foot is None:
        return None
    score, radii, middle = _round_about(look, foot)
    return _Seen(score, radii, middle, look)


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


def _foot(look: _Look) -> Array | None:
    """Where the roots' headings run together, cells; None where too few are seen."""
    import cv2

    seen = look.seen
    trunk = (seen.trunk > SURE).astype(np.uint8)
    # Of several dark things the one with roots about it.
    near = cv2.distanceTransform(1 - trunk, cv2.DIST_L2, 5)
    root = (seen.root > SURE) & (near < NEAR_TRUNKS * PX_PER_TRUNK)
    if root.sum() < PX_PER_TRUNK * 2:
        return None
    at = np.argwhere(root)[:, ::-1].astype(float)
    way = seen.ahead[root].astype(float)
    weight = seen.root[root] * np.hypot(*way.T)
    way /= np.maximum(np.hypot(*way.T), 1e-6)[:, None]
    across = np.column_stack([-way[:, 1], way[:, 0]])
    foot = np.average(at, axis=0, weights=weight)
    for _ in range(ROUNDS):
        away = at - foot
        off = np.abs((away * across).sum(axis=1))
        # A root runs away from its trunk, close to it and toward it first of all.
        outward = (away * way).sum(axis=1) > 0
        trust = weight * np.where(outward, 1.0, 0.1) / (1 + (off / (0.25 * PX_PER_TRUNK)) ** 2)
        trust = trust / (1 + (np.hypot(*away.T) / PX_PER_TRUNK) ** 2)
        square = np.einsum("n,ni,nj->ij", trust, across, across)
        foot = np.linalg.solve(
            square + 1e-6 * np.eye(2),
            np.einsum("n,ni,nj,nj->i", trust, across, across, at) + 1e-6 * foot,
        )
    return np.asarray(foot)


def _round_about(look: _Look, foot: Array) -> tuple[float, Array, Array]:
    """How well a trunk of the size looked for stands about a foot, its radii (RAYS,) and middle.

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
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    direction = np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    steps = np.arange(1.0, 2.0 * hub + 3.0)
    at = (middle + steps[None, :, None] * direction[:, None]).astype(np.float32)
    seen = np.asarray(cv2.remap(wood, at[..., 0], at[..., 1], cv2.INTER_LINEAR))
    out = seen < WOOD
    radii = steps[np.where(out.any(axis=1), out.argmax(axis=1), len(steps) - 1)]
    # Along a root the wood goes on; the trunk does not.
    radii = np.clip(radii, 0.9 * hub, LARGEST_OF_HUB * hub)
    radii = gaussian_filter1d(radii, 4.0, mode="wrap") * TRUNK_OF_WOOD
    wide = 2 * float(np.sqrt((radii**2).mean())) / PX_PER_TRUNK
    right_size = np.exp(-((np.log(max(wide, 0.05)) / 0.35) ** 2))
    meets = np.exp(-((np.hypot(*(middle - foot)) / PX_PER_TRUNK / STRAY) ** 2))
    within = float(seen[steps[None] < radii[:, None]].mean())
    return float(min(1.0, within) * right_size * meets), radii, middle
