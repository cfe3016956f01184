"""Where the camera stood: homographies and poses from known points on one plane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array


@dataclass(frozen=True)
class Pose:
    """Camera over the reference plane, for every draw.

    to_plane : (rows, 3, 3), px to mm on the plane. foot : (rows, 2), mm.
    height : (rows,), mm. tilt_deg : angle between the line of sight and straight down.
    """

    to_plane: Array
    foot: Array
    height: Array
    tilt_deg: float


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
    x, y = np.moveaxis((picture - centre) / spread, 2, 0)
    zero, one = np.zeros_like(x), np.ones_like(x)
    u, v = plane[:, 0], plane[:, 1]
    top = np.stack([x, y, one, zero, zero, zero, -u * x, -u * y], axis=2)
    low = np.stack([zero, zero, zero, x, y, one, -v * x, -v * y], axis=2)
    system = np.concatenate([top, low], axis=1)
    wanted = np.broadcast_to(np.concatenate([u, v]), (rows, 2 * count))[..., None]
    turned = system.swapaxes(1, 2)
    solved = np.linalg.solve(turned @ system, turned @ wanted)[..., 0]
    matrix = np.concatenate([solved, np.ones((rows, 1))], axis=1).reshape(rows, 3, 3)
    normal = np.array(
        [[1 / spread, 0, -centre[0] / spread], [0, 1 / spread, -centre[1] / spread], [0, 0, 1]]
    )
    return np.asarray(matrix @ normal)


def solve_pose(plane: Array, picture: Array, focal_px: Array, centre: Array) -> Pose:
    """Camera pose for row 0 by least squares, the draws by its first-order response.

    Parameters
    ----------
    plane : (n, 2), mm, x right, y down. picture : (rows, n, 2), px.
    focal_px : (rows,). centre : (2,), principal point, px.

    Raises
    ------
    BadInput : the points allow no camera above the plane.
    """
    import cv2  # heavy: only where a photo is really measured

    camera = np.array([[focal_px[0], 0, centre[0]], [0, focal_px[0], centre[1]], [0, 0, 1.0]])
    solid = np.column_stack([plane, np.zeros(len(plane))])
    found, turns, shifts, _ = cv2.solvePnPGeneric(
        solid, picture[0], camera, None, flags=cv2.SOLVEPNP_IPPE
    )
    if not found:
        raise BadInput("calibration", "no camera position fits the marked reference")
    turn, shift = cv2.solvePnPRefineLM(solid, picture[0], camera, None, turns[0], shifts[0])
    _, jacobian = cv2.projectPoints(solid, turn, shift, camera, None)
    response = np.linalg.pinv(jacobian[:, :6])
    moved = (picture - picture[0]).reshape(len(picture), -1)
    moved = moved - np.outer(focal_px - focal_px[0], jacobian[:, 6] + jacobian[:, 7])
    parameters = np.concatenate([turn.ravel(), shift.ravel()]) + moved @ response.T
    return _pose_of(parameters, focal_px, centre)


def _pose_of(parameters: Array, focal_px: Array, centre: Array) -> Pose:
    from scipy.spatial.transform import Rotation

    rows = len(parameters)
    turn = Rotation.from_rotvec(parameters[:, :3]).as_matrix()
    shift = parameters[:, 3:]
    camera = np.zeros((rows, 3, 3))
    camera[:, 0, 0] = camera[:, 1, 1] = focal_px
    camera[:, :2, 2] = centre
    camera[:, 2, 2] = 1.0
    onto = camera @ np.concatenate([turn[:, :, :2], shift[:, :, None]], axis=2)
    place = -np.einsum("kji,kj->ki", turn, shift)
    if place[0, 2] >= 0:
        raise BadInput("calibration", "the marked reference is seen from below: is it mirrored?")
    tilt = float(np.degrees(np.arccos(np.clip(turn[0, 2, 2], -1.0, 1.0))))
    return Pose(np.linalg.inv(onto), place[:, :2], -place[:, 2], tilt)
