"""What a small learned model sees about a trunk: root, trunk, and how far from a root's crest.

It was taught on path-traced scenes and on those of the quick simulated camera, see
docs/decisions/0019-roots-by-a-learned-model.md; `tools/rootnet` holds scenes, network and
training. Its weights ship as ONNX and are run by onnxruntime.
"""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, reduce
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from mirvo.core.measure.uncertainty import Array

Map = npt.NDArray[np.float32]
WEIGHTS = Path(__file__).parent / "roots.onnx"
# The scale it was taught at; sides it takes are multiples of sixteen.
PX_PER_TRUNK = 64
MULTIPLE = 16
# Finer, coarser, turned and mirrored views are looked at, and the answers averaged: px per trunk,
# quarters of a turn, mirrored or not.
Look = tuple[int, int, bool]
LOOKS: tuple[Look, ...] = (
    (56, 0, False), (56, 1, True), (72, 2, False), (72, 3, True), (88, 1, False), (88, 2, True)
)  # fmt: skip
LOOKS_AT_ONE_SCALE: tuple[Look, ...] = tuple(
    (PX_PER_TRUNK, quarters, quarters % 2 == 1) for quarters in range(4)
)


@dataclass(frozen=True)
class SeenRoots:
    """root, trunk : (n, m), probability of each. crest : (n, m), 1 on a root's crest, 0 at its
    flanks. ahead : (n, m, 2), outward along the root, x and y, at most of length 1."""

    root: Map
    trunk: Map
    crest: Map
    ahead: Map


def see_roots(
    picture: npt.NDArray[np.uint8],
    trunk: npt.NDArray[np.uint8],
    px_per_trunk: float,
    looks: tuple[Look, ...] = LOOKS,
) -> SeenRoots:
    """What the model sees in a picture (n, m, 3), red, green, blue.

    Parameters
    ----------
    trunk : (n, m), 0 to 255, the trunk's outline filled; all 0 where nobody has drawn it yet.
    px_per_trunk : diameter of the trunk in the picture, px.
    """
    import cv2  # heavy: only where a photo is really looked at

    height, width = trunk.shape

    def looked(look: Look) -> Map:
        scale = look[0] / px_per_trunk
        size = max(MULTIPLE, round(width * scale)), max(MULTIPLE, round(height * scale))
        how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
        small = cv2.resize(picture, size, interpolation=how).astype(np.float32) / 255
        drawn = cv2.resize(trunk, size, interpolation=how).astype(np.float32) / 255
        answer = _turned(np.concatenate([small.transpose(2, 0, 1), drawn[None]]), *look[1:])
        whole = [cv2.resize(part, (width, height)) for part in answer]
        return np.asarray(whole, np.float32)

    # A core a look: a look on several cores is hardly quicker than on one.
    with ThreadPoolExecutor(min(len(looks), os.cpu_count() or 1)) as cores:
        # One by one into a sum: a stack of them all takes longer to fill than to add up.
        answers = cores.map(looked, looks)
        root, on_trunk, crest, right, down = reduce(np.add, answers) / len(looks)
    return SeenRoots(root, on_trunk, crest, np.stack([right, down], axis=-1))


def _turned(given: Map, quarters: int, mirrored: bool) -> Map:
    """The model's answer (5, h, w) to a view turned by quarters and mirrored, turned back."""
    view = np.rot90(given, quarters, axes=(1, 2))
    view = view[:, :, ::-1] if mirrored else view
    _, height, width = view.shape
    rim = [(0, 0), (0, -height % MULTIPLE), (0, -width % MULTIPLE)]
    padded = np.pad(view, rim, mode="edge")[None].astype(np.float32)
    [answer] = _session().run(None, {"given": padded})
    seen = answer[0, :, :height, :width]
    seen[:3] = 1 / (1 + np.exp(-np.clip(seen[:3], -30, 30)))
    if mirrored:
        seen = seen[:, :, ::-1].copy()
        seen[3] *= -1
    seen = np.rot90(seen, -quarters, axes=(1, 2)).copy()
    # A quarter turn back takes what points right in the turned view to pointing down.
    for _ in range(quarters):
        seen[3:] = np.stack([-seen[4], seen[3]])
    return np.asarray(seen, np.float32)


@cache
def _session() -> Any:
    import onnxruntime  # heavy: only where roots are sought

    options = onnxruntime.SessionOptions()
    options.log_severity_level = 3
    options.intra_op_num_threads = 1
    return onnxruntime.InferenceSession(WEIGHTS, options, providers=["CPUExecutionProvider"])


def as_mask(outline: Array, shape: tuple[int, int]) -> npt.NDArray[np.uint8]:
    """An outline (n, 2), px, filled with 255 on 0."""
    import cv2

    mask = np.zeros(shape, np.uint8)
    cv2.fillPoly(mask, [np.round(outline).astype(np.int32)], 255)
    return mask
