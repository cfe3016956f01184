"""Samples to learn from: a picture about a trunk at one scale, and what each pixel shows.

    python -m tools.rootnet.samples FOLDER traced|quick FIRST_SEED COUNT

One file a scene: `picture` (n, n, 3), `seen` (n, n) 0 ground, 1 root, 2 trunk, `ridge` (n, n)
0 to 255, 255 on a root's crest, `ahead` (n, n, 2) -127 to 127, outward along the root, and
`outline` (n, n), the trunk as a person draws it.
"""

from __future__ import annotations

import sys
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path

import cv2
import numpy as np
import numpy.typing as npt
from scipy.spatial import cKDTree

from mirvo.standins.base import random_base, root_path, root_widths, trunk_outline
from mirvo.standins.camera import random_camera
from mirvo.standins.photo import shoot
from tools.traced.camera import RIM, Part, TracedCamera
from tools.traced.scene import TracedScene

Array = npt.NDArray[np.float64]
Picture = npt.NDArray[np.uint8]
Sample = dict[str, npt.NDArray[np.generic]]
PX_PER_TRUNK = 64
SIDE, TRACED_SIDE = 576, 464
PRESETS_IN_TURN = ("easy", "normal", "hard", "normal", "hard")
CREST_STEPS = 8
# Looks at each scene, on days of other seeds; rays a pixel.
DAYS, OTHER_DAY, SPP = 2, 1_000_000, 4
# Diameter of the trunk in the picture, px, from which the sample is taken.
TRUNK_PX = 84


@dataclass(frozen=True)
class Known:
    """A picture (h, w, 3) and what is known of it.

    seen : (h, w). tube_at : (h, w), number of the root a pixel shows, -1 for none. heading :
    (h, w, 2). crests : by root (k, 2), px, and halves : (k,), its half width there, px.
    outline : (m, 2), px, of the trunk.
    """

    picture: Picture
    seen: Picture
    tube_at: npt.NDArray[np.int16]
    heading: Array
    crests: list[Array]
    halves: list[Array]
    outline: Array


def sample_of(known: Known, side: int = SIDE) -> Sample:
    """The square about the trunk, its diameter 64 px."""
    centre = known.outline.mean(axis=0)
    diameter = 2 * np.sqrt(cv2.contourArea(known.outline.astype(np.float32)) / np.pi)
    scale = PX_PER_TRUNK / float(diameter)
    shift = side / 2 - scale * centre
    into = np.array([[scale, 0, shift[0]], [0, scale, shift[1]]])

    def moved(image: npt.NDArray[np.generic], flags: int, fill: object = 0) -> Array:
        if scale < 1 and flags != cv2.INTER_NEAREST:
            image = cv2.GaussianBlur(image, (0, 0), 0.45 / scale)
        return cv2.warpAffine(image, into, (side, side), flags=flags, borderValue=fill)

    grey = tuple(float(v) for v in known.picture.reshape(-1, 3).mean(axis=0))
    ahead = np.clip(known.heading * 127, -127, 127).astype(np.float32)
    drawn = np.zeros(known.seen.shape, np.uint8)
    cv2.fillPoly(drawn, [np.round(known.outline).astype(np.int32)], 255)
    picture = moved(known.picture.astype(np.float32), cv2.INTER_LINEAR, grey)
    ways = [moved(np.ascontiguousarray(ahead[..., i]), cv2.INTER_NEAREST) for i in (0, 1)]
    return {
        "picture": np.clip(picture, 0, 255).astype(np.uint8),
        "seen": moved(known.seen, cv2.INTER_NEAREST),
        "ridge": np.clip(moved(_ridge(known), cv2.INTER_LINEAR) * 255, 0, 255).astype(np.uint8),
        "ahead": np.stack(ways, axis=-1).astype(np.int8),
        "outline": moved(drawn, cv2.INTER_LINEAR),
    }


def _ridge(known: Known) -> npt.NDArray[np.float32]:
    """1 on each root's crest, 0 at its flanks (h, w)."""
    ridge = np.zeros(known.seen.shape, np.float32)
    for number, (crest, half) in enumerate(zip(known.crests, known.halves, strict=True)):
        at = np.argwhere(known.tube_at == number)
        if not len(at) or len(crest) < 2:
            continue
        steps = np.arange(len(crest))
        fine = np.linspace(0, len(crest) - 1, CREST_STEPS * len(crest))
        dense = np.column_stack([np.interp(fine, steps, axis) for axis in crest.T])
        away, which = cKDTree(dense).query(at[:, ::-1])
        wide = np.maximum(np.interp(fine, steps, half)[which], 0.8)
        ridge[at[:, 0], at[:, 1]] = np.clip(1 - away / wide, 0, 1)
    return ridge


def traced_samples(seed: int, preset: str, width: int = 1280, height: int = 960) -> list[Sample]:
    """Samples of a path-traced scene on several days, as seen straight from above."""
    from tools.traced.scene import random_scene, seen_anew  # meshing takes a while

    scene = random_scene(seed, preset, width, height)
    days = [scene, *(seen_anew(scene, seed + OTHER_DAY * day) for day in range(1, DAYS))]
    return [_traced_sample(day) for day in days]


def _traced_sample(scene: TracedScene) -> Sample:
    from tools.traced import render  # starts the renderer
    from tools.traced.scene import PRESETS

    rng = np.random.default_rng(scene.seed + 1)
    base = scene.base
    camera = _no_finer_than_needed(scene.camera, 2 * base.radius_mm)
    scene = replace(scene, camera=camera)
    cell = 2 * base.radius_mm / PX_PER_TRUNK

    def from_above(points: Array) -> Array:
        """Places in the sample (n, 2) of points (n, 3): where they hide the root plane."""
        share = camera.place[2] / (camera.place[2] - points[:, 2:])
        flat = camera.place[:2] + (points[:, :2] - camera.place[:2]) * share
        return np.asarray(flat * np.array([1, -1]) / cell + TRACED_SIDE / 2)

    line = (np.arange(2 * TRACED_SIDE) + 0.5) / 2 - 0.5
    across, down = np.meshgrid((line - TRACED_SIDE / 2) * cell, (TRACED_SIDE / 2 - line) * cell)
    plane = np.column_stack([across.ravel(), down.ravel(), np.zeros(across.size)])
    at = camera.see(plane).reshape(2 * TRACED_SIDE, 2 * TRACED_SIDE, 2).astype(np.float32)
    window, part = _window(at, camera)
    light, places, numbers = render.trace(scene, SPP, denoised=True, part=part)
    seen, tube_at, heading = render.shows(scene, places, numbers, from_above)
    picture = render.develop(light[window], rng, PRESETS[scene.preset])
    quality = [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(70, 96))]
    packed = cv2.imencode(".jpg", picture[..., ::-1], quality)[1]
    picture = cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1]
    shift = np.array([window[1].start, window[0].start], np.float32)
    grey = tuple(float(v) for v in picture.reshape(-1, 3).mean(axis=0))
    fine = float(np.hypot(*(at[TRACED_SIDE, TRACED_SIDE + 1] - at[TRACED_SIDE, TRACED_SIDE])))
    if fine > 1.4:
        picture = cv2.GaussianBlur(picture, (0, 0), 0.45 * fine)

    def flat(image: npt.NDArray[np.generic], how: int, fill: object = 0) -> Array:
        where = (at if how == cv2.INTER_LINEAR else at[1::2, 1::2]) - shift
        return cv2.remap(image[window], where, None, how, borderValue=fill)

    whole = np.zeros((*seen.shape, 3), np.uint8)
    whole[window] = picture
    halves = [tube.radius / cell for tube in base.tubes]
    drawn_at = float(rng.uniform(0, 0.15) * base.radius_mm)
    ring = base.outline(drawn_at)
    side = (TRACED_SIDE, TRACED_SIDE)
    known = Known(
        cv2.resize(flat(whole, cv2.INTER_LINEAR, grey), side, interpolation=cv2.INTER_AREA),
        flat(seen, cv2.INTER_NEAREST),
        flat(tube_at, cv2.INTER_NEAREST, -1),
        flat(heading.astype(np.float32), cv2.INTER_NEAREST),
        [from_above(tube.crest) for tube in base.tubes],
        halves,
        from_above(np.column_stack([ring, np.full(len(ring), drawn_at)])),
    )
    return sample_of(known, TRACED_SIDE)


def _no_finer_than_needed(camera: TracedCamera, diameter_mm: float) -> TracedCamera:
    """The camera with as many pixels as leave a little to spare at the sample's scale."""
    px = camera.focal_px * diameter_mm / float(np.linalg.norm(camera.place))
    share = float(np.clip(TRUNK_PX / px, 0.5, 1.5))
    wide, high = round(camera.width * share), round(camera.height * share)
    return replace(camera, width=wide, height=high, focal_px=camera.focal_px * share)


def _window(at: Array, camera: TracedCamera) -> tuple[tuple[slice, slice], Part]:
    """The part of the picture that is needed, of the bent picture and of what is rendered."""
    size = np.array([camera.width, camera.height])
    low = np.clip(at.reshape(-1, 2).min(axis=0) - 4, 0, size - 64).astype(int)
    high = np.clip(at.reshape(-1, 2).max(axis=0) + 5, low + 64, size).astype(int)
    rim = size * (RIM - 1) / 2
    # The lens moves a place by less than half the rim.
    first = np.maximum(0, low + rim / 2 - 2).astype(int)
    last = np.minimum(np.round(size * RIM), high + 1.5 * rim + 2).astype(int)
    left, top, wide, tall = (int(value) for value in np.concatenate([first, last - first]))
    return (slice(low[1], high[1]), slice(low[0], high[0])), (left, top, wide, tall)


def quick_sample(seed: int, width: int = 1008, height: int = 756) -> Sample:
    """A sample of the quick simulated camera, its roots drawn from their true lines and widths."""
    base, camera = random_base(seed), random_camera(seed, width, height)
    content, _ = shoot(base, seed, date(2026, 11, 1), (width, height))
    picture = cv2.imdecode(np.frombuffer(content, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    seen = np.zeros((height, width), np.uint8)
    tube_at = np.full(seen.shape, -1, np.int16)
    heading = np.zeros((*seen.shape, 2))
    crests, halves = [], []
    for number, root in enumerate(base.roots):
        path = root_path(base, root)
        widths = root_widths(root, len(path))
        crest, middle = camera.project(path, 0.3 * widths), camera.project(path, 0.0)
        ahead = np.gradient(crest, axis=0)
        ahead /= np.hypot(*ahead.T)[:, None]
        beside = camera.project(path + np.array([0.0, 1.0]), 0.0)
        half = widths / 2 * np.hypot(*(beside - middle).T)
        side = np.column_stack([ahead[:, 1], -ahead[:, 0]]) * half[:, None]
        mask = np.zeros(seen.shape, np.uint8)
        ring = np.concatenate([middle + side, (middle - side)[::-1]])
        cv2.fillPoly(mask, [np.round(ring).astype(np.int32)], 1)
        at = np.argwhere((mask > 0) & (seen == 0))
        which = cKDTree(middle).query(at[:, ::-1])[1]
        rows, columns = at.T
        seen[rows, columns], tube_at[rows, columns] = 1, number
        heading[rows, columns] = ahead[which]
        crests.append(crest)
        halves.append(half)
    outline = camera.project(trunk_outline(base), base.trunk_height_mm)
    cv2.fillPoly(seen, [np.round(outline).astype(np.int32)], 2)
    return sample_of(Known(picture, seen, tube_at, heading, crests, halves, outline))


def main(folder: str, kind: str, first: str, count: str) -> None:
    out = Path(folder)
    out.mkdir(parents=True, exist_ok=True)
    for seed in range(int(first), int(first) + int(count)):
        path = out / f"{kind}-{seed}.npz"
        if path.exists():
            continue
        preset = PRESETS_IN_TURN[seed % len(PRESETS_IN_TURN)]
        try:
            made = [quick_sample(seed)] if kind == "quick" else traced_samples(seed, preset)
        except (ValueError, RuntimeError) as error:
            # One made-up base in some hundreds cannot be meshed; it is left out.
            print(f"{seed}: {error}", flush=True)
            continue
        for day in reversed(range(len(made))):
            _keep(made[day], path if day == 0 else out / f"{kind}-{seed}-{day}.npz")
        print(seed, flush=True)


def _keep(sample: Sample, path: Path) -> None:
    # Whole or not at all: the training may be reading beside it.
    part = path.with_suffix(".part")
    with part.open("wb") as file:
        np.savez_compressed(file, **sample)
    part.rename(path)


if __name__ == "__main__":
    main(*sys.argv[1:])
