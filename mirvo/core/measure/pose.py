"""Where the camera stood and what its lens does: pose, focal length and radial term together.

The most probable camera is sought: reprojection of the known points, weighed with what is
known beforehand of the focal length, the lens and the camera's height (Gauss-Newton on the
posterior). So a lens is corrected as far as the reference shows it and no further, and
what it does not show stays in the error bars. Model: Hartley & Zisserman, Multiple View
Geometry, 2nd ed., chapters 6 and 7; radial term as in Brown's model, x' = x(1 + k r²).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.geometry import away_from, scaled
from mirvo.core.measure.uncertainty import Array, Draws

# The main camera of a usual phone.
USUAL_FOCAL_35MM = 27.0
UNKNOWN_FOCAL_LOG_SD = 0.35
# What a file says is rounded to a whole millimetre.
KNOWN_FOCAL_LOG_SD = 0.015
ENTERED_HEIGHT_LOG_SD = 0.02
RADIAL_SD = 0.012
RADIAL_SD_OF_A_POOR_LENS = 0.1
# Only when the reference shows the bend beyond doubt (about 3.5 sd) is it believed.
RADIAL_SHOWN = 12.0
# The same of a picture that is a part of the camera's; whatever fits as it is needs no second look.
# A reference that fits badly either way, by how it is bent or blurred, tells nothing of a crop.
CROP_LOOKED_FOR, CROP_SHOWN, CROP_SHARE = 12.0, 20.0, 0.3
# It settles in four or five; more is for poor starts.
STEPS = 12
MANY_STEPS = 40
LONGER_LENS = 0.4  # logarithm; and as much farther away
SETTLED, NEAR = 1e-8, 1e-3
FOCAL, RADIAL, CENTRE, FIRST_BEND = 6, 7, slice(8, 10), 10
# How far the lens's middle lies from that of the picture, in focal lengths: not at all, unless
# the reference shows beyond doubt that the picture is a part of the camera's.
CENTRE_SD, CENTRE_SD_OF_A_PART = 1e-4, 0.15
ASIDE = np.array([[0, 0], [0.2, 0], [-0.2, 0], [0, 0.2], [0, -0.2]])
CAMERAS_KEPT = 64
NO_CAMERA = "no camera position fits the marked reference"
# A sheet that was folded once and laid down stands up by a millimetre or so at its ends.
BEND_SD_MM = 1.0


Rows = tuple[tuple[float, ...], ...]


@dataclass(frozen=True)
class Prior:
    """What is known of a camera before its reference is looked at; logarithms and their sd."""

    log_focal: float
    log_focal_sd: float
    log_height: float | None = None


@dataclass(frozen=True)
class Pose:
    """Camera over the reference plane, for every draw.

    to_plane : (rows, 3, 3), px (the lens's bend taken out) to mm on the plane.
    foot : (rows, 2), mm. height : (rows,), mm. focal : (rows,), px. radial : (rows,).
    tilt_deg : angle between the line of sight and straight down.
    focal_log_sd : how well the focal length is known after the fit. lifted : (n,), mm, how far
    the reference's points were found to stand up. misfit_px : of the points, rms a coordinate.
    centre : (2,), px, where the lens looks. cropped : that is not the middle of the picture.
    """

    to_plane: Array
    foot: Array
    height: Array
    focal: Array
    radial: Array
    tilt_deg: float
    focal_log_sd: float
    lifted: Array
    misfit_px: float
    centre: Array
    cropped: bool


def homography_from_points(picture: Array, plane: Array) -> Array:
    """Homographies px to mm by the direct linear transform.

    Parameters
    ----------
    picture : (rows, n, 2), px, n >= 4. plane : (n, 2), mm.

    Source: Hartley & Zisserman, Multiple View Geometry, 2nd ed., algorithm 4.2.
    """
    rows, count, _ = picture.shape
    centre = picture[0].mean(axis=0)
    spread = float(np.abs(picture[0] - centre).max())
    # Centred and scaled, else the equations are badly conditioned.
    x, y = np.moveaxis((picture - centre) / spread, 2, 0)
    zero, ones = np.zeros_like(x), np.ones_like(x)
    u, v = plane[:, 0], plane[:, 1]
    top = np.stack([x, y, ones, zero, zero, zero, -u * x, -u * y], axis=2)
    low = np.stack([zero, zero, zero, x, y, ones, -v * x, -v * y], axis=2)
    system = np.concatenate([top, low], axis=1)
    wanted = np.broadcast_to(np.concatenate([u, v]), (rows, 2 * count))[..., None]
    turned = system.swapaxes(1, 2)
    # All draws at once: four points give eight equations for eight unknowns, more give least
    # squares.
    solved = np.linalg.solve(turned @ system, turned @ wanted)[..., 0]
    matrix = np.concatenate([solved, np.ones((rows, 1))], axis=1).reshape(rows, 3, 3)
    normal = np.array(
        [[1 / spread, 0, -centre[0] / spread], [0, 1 / spread, -centre[1] / spread], [0, 0, 1]]
    )
    return np.asarray(matrix @ normal)


def unbend(points: Array, centre: Array, focal: Array, radial: Array) -> Array:
    """Picture points (rows, n, 2) as a lens without radial bend would show them, px.

    The inverse series of x(1 + k r²) to second order; exact to 0.1 px for |k| up to 0.05.
    """
    away = away_from(centre, points)
    squared = away[..., 0] ** 2 + away[..., 1] ** 2
    bend = (radial / focal**2)[:, None] * squared
    return scaled(centre, away, 1 - bend + 3 * bend**2)


def solve_pose(
    plane: Array,
    picture: Array,
    sd_px: float,
    centre: Array,
    prior: Prior,
    draws: Draws,
    bends: Array | None = None,
) -> Pose:
    """The most probable camera and its draws.

    Parameters
    ----------
    plane : (n, 2), mm, x right, y down. picture : (rows, n, 2), px, row 0 as marked.
    sd_px : standard deviation of the picture points. centre : (2,), principal point, px.
    bends : (k, n), ways a reference may be bent: how far each makes every point stand up, mm.
        How much of each there is, is found with the camera; flat is taken to be likeliest.
        Given, the picture may also be found to be cropped.

    Raises
    ------
    BadInput : the points allow no camera above the plane.
    """
    middle, bent = tuple(map(float, centre)), None if bends is None else _rows(bends)
    sight = _Sight(_rows(plane), _rows(picture[0]), sd_px, middle, prior, bent)
    fit, camera, cropped = _camera_of(sight)
    parameters, focal_log_sd = fit.draws(camera, picture, draws)
    misfit = _project(fit.solid, camera[None], centre, fit.bends)[0] - picture[0]
    misfit_px = float(np.sqrt((misfit**2).mean()))
    return _pose_of(parameters, centre, focal_log_sd, fit.bends, misfit_px, cropped)


@dataclass(frozen=True)
class _Sight:
    """A reference as it is seen, and what was known before: all that a camera follows from."""

    plane: Rows
    picture: Rows
    sd_px: float
    centre: tuple[float, ...]
    prior: Prior
    bends: Rows | None


def _rows(points: Array) -> Rows:
    return tuple(map(tuple, points.tolist()))


# Marks change often while the reference stays: its camera is sought once.
@lru_cache(maxsize=CAMERAS_KEPT)
def _camera_of(sight: _Sight) -> tuple[_Fit, Array, bool]:
    """The most probable camera with the posterior it was found by, and whether the picture is a
    part of the camera's."""
    plane, centre = np.array(sight.plane), np.array(sight.centre)
    solid = np.column_stack([plane, np.zeros(len(plane))])
    seen, prior = np.array(sight.picture), sight.prior
    start = _first_guess(solid, seen, float(np.exp(prior.log_focal)), centre)
    bends = np.zeros((0, len(plane))) if sight.bends is None else np.array(sight.bends)
    start = np.concatenate([start, np.zeros(len(bends))])
    # First a lens as phones have it; then, if the picture insists, a poor one.
    stiff = _Fit(solid, seen, sight.sd_px, centre, prior, RADIAL_SD, bends)
    camera, cost = stiff.most_probable(start)
    loose = replace(stiff, radial_sd=RADIAL_SD_OF_A_POOR_LENS)
    bent, bent_cost = loose.most_probable(camera)
    fit = stiff
    if cost - bent_cost > RADIAL_SHOWN:
        fit, camera, cost = loose, bent, bent_cost
    if sight.bends is None or cost <= CROP_LOOKED_FOR:
        return fit, camera, False
    # From where it came to rest, and from the first guess with a longer lens: one gets there.
    longer = start + LONGER_LENS * np.eye(len(start))[[5, FOCAL]].sum(axis=0)
    camera, cost = fit.best_of((camera, longer))
    # Of a part of a picture neither the middle nor the focal length is what it seems.
    vague = replace(prior, log_focal_sd=UNKNOWN_FOCAL_LOG_SD)
    part = replace(stiff, prior=vague, centre_sd=CENTRE_SD_OF_A_PART)
    of_part, part_cost = part.best_of((part.guess_flat(longer), longer, camera))
    if cost - part_cost > max(CROP_SHOWN, CROP_SHARE * cost):
        return part, of_part, True
    return fit, camera, False


@dataclass(frozen=True)
class _Fit:
    """Posterior of a camera: rotation vector, shift as (x/z, y/z, log z), log focal, radial, how
    far the lens's middle lies aside, in focal lengths, and how much of each bend there is, mm."""

    solid: Array
    seen: Array
    sd_px: float
    centre: Array
    prior: Prior
    radial_sd: float
    bends: Array
    centre_sd: float = CENTRE_SD

    def errors(self, cameras: Array) -> Array:
        """Weighted residuals (rows, m) of cameras (rows, 10 + k); last come those of the priors."""
        off = (_project(self.solid, cameras, self.centre, self.bends) - self.seen) / self.sd_px
        known = [
            (cameras[:, FOCAL] - self.prior.log_focal) / self.prior.log_focal_sd,
            cameras[:, RADIAL] / self.radial_sd,
            *(cameras[:, FIRST_BEND:] / BEND_SD_MM).T,
        ]
        if self.prior.log_height is not None:
            # A step may lead below the plane; the logarithm must hold all the same.
            height = np.log(np.maximum(_place(cameras)[:, 2], 1e-3))
            known.append((height - self.prior.log_height) / ENTERED_HEIGHT_LOG_SD)
        known += [*(cameras[:, CENTRE] / self.centre_sd).T]
        return np.concatenate([off.reshape(len(cameras), -1), np.stack(known, axis=1)], axis=1)

    def most_probable(
        self, start: Array, steps: int = STEPS, settled: float = SETTLED
    ) -> tuple[Array, float]:
        """Levenberg-Marquardt from a first guess: camera (10 + k,) and its sum of squares."""
        camera, damp = start, 1e-4
        now = self.errors(camera[None])[0]
        for _ in range(steps):
            slope = self._slope(camera)
            normal = slope.T @ slope
            step = np.linalg.solve(normal + damp * np.diag(np.diag(normal)), -slope.T @ now)
            there = self.errors((camera + step)[None])[0]
            gained = float(now @ now - there @ there)
            # Levenberg's rule: trust the step that helped, shorten the one that did not.
            if gained > 0:
                camera, now, damp = camera + step, there, damp / 10
            else:
                damp *= 20
            if abs(gained) <= settled * (1.0 + float(now @ now)):
                break
        return camera, float(now @ now)

    def best_of(self, guesses: Iterable[Array]) -> tuple[Array, float]:
        """The most probable of what several first guesses lead to; only that one is followed to
        its very end."""
        found = [self.most_probable(guess, MANY_STEPS, NEAR) for guess in guesses]
        best, _ = min(found, key=lambda one: one[1])
        return self.most_probable(best)

    def guess_flat(self, start: Array) -> Array:
        """A camera for a flat reference, the best of those whose lens looks some way aside."""
        flat = replace(self, bends=self.bends[:0])
        guesses = []
        for aside in ASIDE:
            guess = start[:FIRST_BEND].copy()
            # Where the lens looks aside, what is seen lies the other way of it.
            guess[CENTRE] += aside
            guess[3:5] -= aside
            guesses.append(flat.most_probable(guess, settled=NEAR))
        best, _ = min(guesses, key=lambda one: one[1])
        return np.concatenate([best, np.zeros(len(self.bends))])

    def draws(self, camera: Array, picture: Array, draws: Draws) -> tuple[Array, float]:
        """Cameras (rows, 10 + k) for every draw, by the posterior's first-order response."""
        slope = self._slope(camera)
        spread = np.linalg.inv(slope.T @ slope)
        moved = ((picture - picture[0]) / self.sd_px).reshape(len(picture), -1)
        others = slope.shape[0] - moved.shape[1]
        known = np.zeros((len(picture), others))
        # The middle of a whole picture is known, so nothing is drawn for it, which comes last.
        vague = others if self.centre_sd > CENTRE_SD else others - 2
        known[:, :vague] = np.stack([draws.scalars(0.0, 1.0) for _ in range(vague)], axis=1)
        # The fit answers in proportion to small errors, so no draw is solved on its own.
        response = np.concatenate([moved, known], axis=1) @ (spread @ slope.T).T
        return camera + response, float(np.sqrt(spread[FOCAL, FOCAL]))

    def _slope(self, camera: Array) -> Array:
        # Differences from both sides: their error is of second order.
        steps = np.diag(np.full(len(camera), 1e-6))
        ahead, behind = np.split(self.errors(camera + np.concatenate([steps, -steps])), 2)
        return np.asarray((ahead - behind).T / (2 * steps.max()))


def _first_guess(solid: Array, picture: Array, focal: float, centre: Array) -> Array:
    import cv2  # heavy: only where a photo is really measured

    matrix = np.array([[focal, 0, centre[0]], [0, focal, centre[1]], [0, 0, 1.0]])
    found, turns, shifts, _ = cv2.solvePnPGeneric(
        solid, picture, matrix, None, flags=cv2.SOLVEPNP_IPPE
    )
    if not found:
        raise BadInput("calibration", NO_CAMERA)
    x, y, z = np.asarray(shifts[0], dtype=float).ravel()
    # Behind the camera nothing can be seen.
    if z <= 0:
        raise BadInput("calibration", NO_CAMERA)
    guess = [*np.asarray(turns[0], dtype=float).ravel(), x / z, y / z, np.log(z)]
    return np.array([*guess, np.log(focal), 0.0, 0.0, 0.0])


def _turns_and_shifts(cameras: Array) -> tuple[Array, Array]:
    from scipy.spatial.transform import Rotation

    turn = Rotation.from_rotvec(cameras[:, :3]).as_matrix()
    # The distance in logarithms stays positive whatever step is tried.
    z = np.exp(np.clip(cameras[:, 5], -5.0, 15.0))
    shift = np.stack([cameras[:, 3] * z, cameras[:, 4] * z, z], axis=1)
    return turn, shift


def _project(solid: Array, cameras: Array, centre: Array, bends: Array) -> Array:
    turn, shift = _turns_and_shifts(cameras)
    seen = np.einsum("kij,nj->kni", turn, solid) + shift[:, None]
    # What stands up lies off the plane along its normal.
    lifted = cameras[:, FIRST_BEND:] @ bends
    seen = seen - lifted[..., None] * turn[:, None, :, 2]
    flat = seen[..., :2] / seen[..., 2:]
    bent = flat * (1 + cameras[:, RADIAL, None, None] * (flat**2).sum(-1, keepdims=True))
    aside = cameras[:, None, CENTRE]
    return np.asarray(np.exp(cameras[:, FOCAL])[:, None, None] * (bent + aside) + centre)


def _place(cameras: Array) -> Array:
    """Optical centres (rows, 3), mm: x and y on the reference, z the height above it."""
    turn, shift = _turns_and_shifts(cameras)
    return np.asarray(-np.einsum("kji,kj->ki", turn, shift) * np.array([1.0, 1.0, -1.0]))


def _pose_of(
    cameras: Array,
    centre: Array,
    focal_log_sd: float,
    bends: Array,
    misfit_px: float,
    cropped: bool,
) -> Pose:
    turn, shift = _turns_and_shifts(cameras)
    focal = np.exp(cameras[:, FOCAL])
    lens = np.zeros((len(cameras), 3, 3))
    lens[:, 0, 0] = lens[:, 1, 1] = focal
    lens[:, :2, 2] = middles = centre + focal[:, None] * cameras[:, CENTRE]
    lens[:, 2, 2] = 1.0
    onto = lens @ np.concatenate([turn[:, :, :2], shift[:, :, None]], axis=2)
    place = _place(cameras)
    # The solver is content with a camera below the table; nobody stands there.
    if place[0, 2] <= 0:
        raise BadInput("calibration", "the marked reference is seen from below: is it mirrored?")
    tilt = float(np.degrees(np.arccos(np.clip(turn[0, 2, 2], -1.0, 1.0))))
    return Pose(
        np.linalg.inv(onto),
        place[:, :2],
        np.maximum(place[:, 2], 1.0),
        focal,
        cameras[:, RADIAL],
        tilt,
        focal_log_sd,
        cameras[0, FIRST_BEND:] @ bends,
        misfit_px,
        middles[0],
        cropped,
    )
