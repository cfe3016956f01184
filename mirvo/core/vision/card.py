"""Finding the printed card in a photo."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from mirvo.core.errors import BadInput
from mirvo.core.measure.uncertainty import Array

WORKING_WIDTH = 2000


def find_card(grey: npt.NDArray[np.uint8]) -> Array:
    """Sub-pixel marker corners of the one card in a photo.

    Parameters
    ----------
    grey : (height, width), 8-bit.

    Returns
    -------
    (16, 2), px: ids 0 to 3, each clockwise from its top left.

    Raises
    ------
    BadInput : no card, part of a card, or more than one.
    """
    import cv2  # heavy: only where a photo is really measured

    parameters = cv2.aruco.DetectorParameters()
    parameters.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    detector = cv2.aruco.ArucoDetector(
        cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_4X4_50), parameters
    )
    shrink = max(1.0, grey.shape[1] / WORKING_WIDTH)
    small = grey if shrink == 1.0 else cv2.resize(grey, None, fx=1 / shrink, fy=1 / shrink)
    found, ids, _ = detector.detectMarkers(small)
    if ids is None:
        raise BadInput("calibration", "no card was found in the photo")
    seen: dict[int, Array] = {}
    for corners, number in zip(found, ids.ravel(), strict=True):
        if int(number) in seen and int(number) < 4:
            raise BadInput("calibration", "more than one card lies in the photo; leave only one")
        seen[int(number)] = (corners.reshape(4, 2) + 0.5) * shrink - 0.5
    missing = [str(i) for i in range(4) if i not in seen]
    if missing:
        raise BadInput(
            "calibration",
            f"only part of the card was found: marker {', '.join(missing)} is missing or covered",
        )
    rough = np.concatenate([seen[i] for i in range(4)]).astype(np.float32)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 40, 0.01)
    return np.asarray(
        cv2.cornerSubPix(grey, rough.reshape(-1, 1, 2), (5, 5), (-1, -1), stop).reshape(16, 2),
        float,
    )
