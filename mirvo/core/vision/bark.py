"""Where the photo shows bark and where soil, learnt from the photo itself.

Bark is what lies just inside the marked trunk outline, soil what lies far from it; the
classifier is then taught once more from its own sure answers nearer by. (Self-training:
Scudder, Probability of error of some adaptive pattern-recognition machines, 1965. Logistic
regression on colour, texture and their products, by Newton steps: Hastie, Tibshirani,
Friedman, The Elements of Statistical Learning, 2nd ed., section 4.4.)
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array
from mirvo.core.vision.plan_view import CELLS_PER_TRUNK, PlanView

Map = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
# More samples change the coefficients by less than their own error.
SAMPLES = 2500
NEWTON_STEPS, RIDGE = 8, 3.0
# Beyond this a single odd cell would pull the products of features apart.
FAR_OUT = 4.0
# Only the rim of the trunk is bark in full light; its middle may be in shade or leaf.
INSIDE_SHARE = 0.30
# Further out than roots of a usual flare reach, so that no root is taught as soil.
SOIL_FROM_TRUNKS = 1.15
SURE_BARK, SURE_SOIL = 0.75, 0.25
NEAR_TRUNKS = 1.1
FLANK_CELLS = 0.0
SCALES = (1.0, 2.0)
BRIGHTNESS_SCALE = 2.5
# Fixed, so that the same photo gives the same proposals.
SEED = 11


def bark_probability(view: PlanView) -> Map:
    """Probability (n, n), 0 to 1, that a cell shows bark; inside the trunk it is 1."""
    features = _features(view)
    away = _distance_outside(view)
    trunk = CELLS_PER_TRUNK
    # The trunk's own rim teaches what bark looks like on this photo.
    bark = (away <= 0) & (away > -INSIDE_SHARE * trunk)
    soil = (away > SOIL_FROM_TRUNKS * trunk - trunk / 2) & view.known
    first = _classify(features, bark, soil)
    near = (away > 0) & (away < NEAR_TRUNKS * trunk) & view.known
    # Only what hangs together with the trunk is believed: bark lies about in soil too.
    again_bark = _touching(first > SURE_BARK, away) & near
    again_soil = (
        near & (first < SURE_SOIL) & (_distance_from(again_bark | (away <= 0)) > FLANK_CELLS)
    )
    second = _classify(features, again_bark | bark, again_soil | soil, weights=(near, 3.0))
    # Where little was sure, the second lesson has nothing to teach.
    both = 0.35 * first + 0.65 * second if again_bark.sum() > SAMPLES / 10 else first
    both[away <= 0] = 1.0
    both[~view.known] = 0.0
    return np.asarray(both, np.float32)


def _features(view: PlanView) -> Map:
    """Colour and texture at two scales, (cells, features).

    Ratios of the colours and relative contrast hardly change from a root's lit side to its
    shaded one; the brightness itself comes in once only, softened.
    """
    import cv2  # heavy: only where a photo is really looked at

    # Six grey levels are added, so that black does not run off to minus infinity.
    logs = np.log(view.colour.astype(np.float32) + 6.0)
    light = logs.mean(axis=2)
    tints = [logs[..., 0] - logs[..., 1], logs[..., 2] - logs[..., 1]]
    parts: list[Any] = []
    for sigma in SCALES:
        parts += [cv2.GaussianBlur(tint, (0, 0), sigma) for tint in tints]
        smooth = cv2.GaussianBlur(light, (0, 0), sigma)
        contrast = np.log(np.abs(light - smooth) + 0.01)
        parts.append(cv2.GaussianBlur(contrast, (0, 0), sigma))
    gx, gy = (cv2.Sobel(light, cv2.CV_32F, *order) for order in ((1, 0), (0, 1)))
    xx, yy, xy = (cv2.GaussianBlur(part, (0, 0), 3.0) for part in (gx * gx, gy * gy, gx * gy))
    # How much the texture runs one way: bark has a grain, soil has none.
    parts.append(np.sqrt((xx - yy) ** 2 + 4 * xy**2) / (xx + yy + 1e-4))
    return np.stack([part.ravel() for part in parts], axis=1).astype(np.float32)


def _distance_from(mask: Mask) -> Map:
    """Distance to the nearest cell of a mask, cells."""
    import cv2

    return np.asarray(cv2.distanceTransform(1 - mask.astype(np.uint8), cv2.DIST_L2, 5), np.float32)


def _distance_outside(view: PlanView) -> Map:
    """Distance from the trunk's outline in cells, negative inside."""
    import cv2

    mask = np.zeros(view.known.shape, np.uint8)
    cv2.fillPoly(mask, [np.round(view.trunk).astype(np.int32)], 1)
    outside = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5)
    inside = cv2.distanceTransform(mask, cv2.DIST_L2, 5)
    return np.asarray(outside - inside, np.float32)


def _classify(
    features: Map, bark: Mask, soil: Mask, weights: tuple[Mask, float] | None = None
) -> Map:
    import cv2

    rng = np.random.default_rng(SEED)
    chosen = [_sample(rng, part.ravel(), weights) for part in (bark, soil)]
    rows = np.concatenate(chosen)
    answers = np.repeat([1.0, 0.0], [len(part) for part in chosen])
    # No feature of one single value may divide by nothing.
    middle, spread = features[rows].mean(axis=0), features[rows].std(axis=0) + 1e-6
    scaled = np.clip((features - middle) / spread, -FAR_OUT, FAR_OUT)
    slope = _logistic(_with_products(scaled[rows]).astype(float), answers)
    share = _sigmoid(_with_products(scaled) @ slope.astype(np.float32))
    smooth = cv2.GaussianBlur(share.reshape(bark.shape).astype(np.float32), (0, 0), 1.2)
    return np.asarray(smooth, np.float32)


def _with_products(features: Map) -> Map:
    """One, every feature, and every product of two: (cells, terms)."""
    i, j = np.triu_indices(features.shape[1])
    ones = np.ones((len(features), 1), np.float32)
    return np.concatenate([ones, features, features[:, i] * features[:, j]], axis=1)


def _logistic(terms: Array, answers: Array) -> Array:
    """Coefficients of a ridge-held logistic regression."""
    slope = np.zeros(terms.shape[1])
    for _ in range(NEWTON_STEPS):
        share = _sigmoid(terms @ slope)
        pull = terms.T @ (share - answers) + RIDGE * slope
        stiff = (terms * (share * (1 - share) + 1e-4)[:, None]).T @ terms
        slope -= np.linalg.solve(stiff + RIDGE * np.eye(len(slope)), pull)
    return slope


def _sigmoid(x: Any) -> Any:
    return 1 / (1 + np.exp(-np.clip(x, -20, 20)))


def _sample(
    rng: np.random.Generator, part: npt.NDArray[np.bool_], weights: tuple[Mask, float] | None
) -> npt.NDArray[np.intp]:
    rows = np.flatnonzero(part)
    chance: Array | None = None
    if weights is not None:
        chance = np.where(weights[0].ravel()[rows], weights[1], 1.0)
        chance = chance / chance.sum()
    return rng.choice(rows, min(SAMPLES, len(rows)), replace=False, p=chance)


def _touching(mask: Mask, away: Map) -> Mask:
    """The parts of a mask that reach the trunk."""
    import cv2

    joined = (mask | (away <= 2)).astype(np.uint8)
    _, labels = cv2.connectedComponents(joined, connectivity=4)
    inside = int(np.bincount(labels[away <= 0]).argmax())
    return np.asarray(labels == inside)
