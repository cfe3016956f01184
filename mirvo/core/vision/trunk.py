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
from mirvo.core.vision.root_model import PX_PER_TRUNK, SeenRoots, see_roots

Picture = npt.NDArray[np.uint8]
# From a shoot to a thick field-grown trunk.
TRUNKS_MM = tuple(16.0 * 1.35**step for step in range(7))
# How far to each side of the picture's middle is looked, mm.
REACH_MM = 260.0
RAYS, KEPT = 72, 24
SURE, NEAR_TRUNKS = 0.5, 1.1
ROUNDS = 6


@dataclass(frozen=True)
class ProposedTrunk:
    """outline : (24, 2), px, clockwise from above. sd_px : how far the whole of it may lie off.
    sure : 0 to 1."""

    outline: Array
    sd_px: float
    sure: float


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
    found = []
    for trunk_mm in TRUNKS_MM:
        look = _look(picture, plane, trunk_mm)
        foot = _foot(look)
        if foot is not None:
            found.append((*_round_about(look, foot), look, foot))
    if not found:
        raise BadInput("trunk", "no base is seen in the photo; draw the trunk's outline")
    score, radii, look, foot = max(found, key=lambda one: one[0])
    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    ring = foot + radii[:, None] * np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    outline = plane.to_photo(look.mm(ring[:: RAYS // KEPT]))
    across = float(2 * np.median(radii) * look.cell_mm * plane.px_per_mm(outline.mean(axis=0)))
    return ProposedTrunk(outline, 0.06 * across, float(score))


def _look(picture: Picture, plane: PlaneMap, trunk_mm: float) -> _Look:
    import cv2  # heavy: only where a photo is really looked at

    height, width = picture.shape[:2]
    cell = trunk_mm / PX_PER_TRUNK
    middle = np.array([[(width - 1) / 2, (height - 1) / 2]])
    frame = np.array([[0.0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]])
    rows = len(plane.foot)
    on_plane = plane.to_plane(np.broadcast_to(np.concatenate([frame, middle]), (rows, 5, 2)))[0]
    low = np.maximum(on_plane[:4].min(axis=0), on_plane[4] - REACH_MM)
    high = np.minimum(on_plane[:4].max(axis=0), on_plane[4] + REACH_MM)
    across, down = np.maximum(16, np.ceil((high - low) / cell)).astype(int)
    x, y = np.meshgrid(np.arange(across) * cell + low[0], np.arange(down) * cell + low[1])
    at = plane.to_photo(np.stack([x.ravel(), y.ravel()], axis=1)).astype(np.float32)
    at = at.reshape(down, across, 2)
    fine = cell * plane.px_per_mm(middle[0])
    seen_at = cv2.GaussianBlur(picture, (0, 0), 0.45 * fine) if fine > 1.4 else picture
    view = np.asarray(
        cv2.remap(
            seen_at, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        ),
        np.uint8,
    )
    nobody_drew = np.zeros(view.shape[:2], np.uint8)
    return _Look(see_roots(view, nobody_drew, PX_PER_TRUNK), cell, low, trunk_mm)


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


def _round_about(look: _Look, foot: Array) -> tuple[float, Array]:
    """How well a trunk of the size looked for stands there, and its radii (RAYS,), cells."""
    import cv2
    from scipy.ndimage import gaussian_filter1d

    turn = np.arange(RAYS) * 2 * np.pi / RAYS
    direction = np.stack([np.sin(turn), -np.cos(turn)], axis=1)
    steps = np.arange(1.0, 1.3 * PX_PER_TRUNK)
    at = (foot + steps[None, :, None] * direction[:, None]).astype(np.float32)
    trunk = np.asarray(cv2.remap(look.seen.trunk, at[..., 0], at[..., 1], cv2.INTER_LINEAR))
    # The trunk ends where less than half is sure of it.
    out = trunk < SURE
    first = np.where(out.any(axis=1), out.argmax(axis=1), len(steps) - 1)
    radii = steps[first]
    usual = float(np.quantile(radii, 0.4))
    # Where it leans over, its silhouette runs on; its foot does not.
    radii = np.clip(radii, 0.75 * usual, 1.2 * usual)
    radii = gaussian_filter1d(radii, 3.0, mode="wrap")
    wide = 2 * float(np.sqrt((radii**2).mean())) / PX_PER_TRUNK
    within = trunk[steps[None] < radii[:, None]].mean()
    right_size = np.exp(-((np.log(max(wide, 0.05)) / 0.35) ** 2))
    return float(within * right_size), radii
