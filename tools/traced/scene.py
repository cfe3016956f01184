"""One scene: a base, what it stands in, light and camera, all drawn from one seed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from scipy.spatial import cKDTree

from tools.traced.base import STEP_MM, Array, SolidBase, random_solid_base
from tools.traced.camera import TracedCamera, random_traced_camera
from tools.traced.sheet import HALF, Sheet
from tools.traced.solid import Mesh, sample_noise, skin, steady_noise
from tools.traced.surroundings import (
    SOILS,
    Pot,
    bench,
    litter,
    pot_mesh,
    random_pot,
    soil,
)

Noise = Callable[[Array, float, np.random.Generator], Array]
PRESETS = {"easy": 0.05, "normal": 0.5, "hard": 1.0}
BARKS = [
    (0.20, 0.14, 0.10),
    (0.30, 0.24, 0.18),
    (0.13, 0.10, 0.085),
    (0.36, 0.30, 0.25),
    (0.24, 0.13, 0.09),
    (0.17, 0.16, 0.13),
]
ROOTS = [
    (0.36, 0.28, 0.20),
    (0.44, 0.37, 0.30),
    (0.40, 0.22, 0.14),
    (0.27, 0.25, 0.23),
    (0.20, 0.15, 0.10),
    (0.48, 0.42, 0.38),
]
# Bark splits so many times longer than wide.
LONG_BARK = 8.0
HARD_SUN, SOFT, DAPPLED, LAMP = "sun", "overcast", "dappled", "lamp"


@dataclass(frozen=True)
class Light:
    """sky : tint and strength of all-round light (3,). sun : tint and strength (3,), from where."""

    kind: str
    sky: Array
    sun: Array
    toward: Array


@dataclass(frozen=True)
class TracedScene:
    """All that is rendered, and what it was made from."""

    seed: int
    preset: str
    base: SolidBase
    camera: TracedCamera
    light: Light
    meshes: dict[str, Mesh]
    wet: bool
    sheet: Sheet | None
    leaves: Mesh | None
    pot: Pot | None


def random_scene(
    seed: int, preset: str, width: int, height: int, base: SolidBase | None = None
) -> TracedScene:
    """A scene from a seed. preset : easy, normal or hard."""
    rng = np.random.default_rng(seed)
    hard = PRESETS[preset]
    base = base or random_solid_base(rng, hard)
    reach = _reach_mm(base)
    pot = random_pot(rng, reach)
    kind = str(rng.choice(sorted(SOILS)))
    moss = bool(rng.random() < 0.15 + 0.5 * hard)
    ground, _ = soil(rng, reach, pot, kind, moss)
    corners, faces = skin(base, rng, 1.0 if base.top_mm < 90 else 1.3)
    wet = bool(rng.random() < 0.1 + 0.25 * hard)
    skin_mesh = Mesh(corners, faces, _bark_colours(base, corners, ground, rng, hard, wet))
    meshes = {"base": skin_mesh, "soil": ground}
    if pot is not None:
        meshes["pot"] = pot_mesh(pot, rng)
        meshes["bench"] = bench(rng, -60.0)
    lying = litter(
        rng, reach, int(rng.poisson(1 + 7 * hard)) if rng.random() < 0.3 + 0.5 * hard else 0
    )
    if lying is not None:
        meshes["litter"] = lying
    light = random_light(rng, hard)
    leaves = _leaves(rng, light) if light.kind == DAPPLED else None
    camera = random_traced_camera(rng, width, height, reach, hard)
    return TracedScene(
        seed,
        preset,
        base,
        camera,
        light,
        meshes,
        wet,
        lay_sheet(rng, reach, pot, hard),
        leaves,
        pot,
    )


def seen_anew(scene: TracedScene, seed: int) -> TracedScene:
    """The same base in the same soil on another day: camera, light, bark and card are others."""
    rng = np.random.default_rng(seed)
    hard, reach = PRESETS[scene.preset], _reach_mm(scene.base)
    skin_mesh, camera = scene.meshes["base"], scene.camera
    wet = bool(rng.random() < 0.1 + 0.25 * hard)
    colours = _bark_colours(scene.base, skin_mesh.corners, scene.meshes["soil"], rng, hard, wet)
    light = random_light(rng, hard)
    return replace(
        scene,
        seed=seed,
        camera=random_traced_camera(rng, camera.width, camera.height, reach, hard),
        light=light,
        meshes=scene.meshes | {"base": replace(skin_mesh, colours=colours)},
        wet=wet,
        sheet=lay_sheet(rng, reach, scene.pot, hard),
        leaves=_leaves(rng, light) if light.kind == DAPPLED else None,
    )


def in_bark_of(scene: TracedScene, seed: int) -> TracedScene:
    """The same scene, dry, in the bark that belongs to a seed: a tree keeps its tones for years."""
    skin_mesh, rng = scene.meshes["base"], np.random.default_rng(seed)
    hard = PRESETS[scene.preset]
    soil_mesh = scene.meshes["soil"]
    colours = _bark_colours(
        scene.base, skin_mesh.corners, soil_mesh, rng, hard, False, steady_noise
    )
    meshes = scene.meshes | {"base": replace(skin_mesh, colours=colours)}
    return replace(scene, meshes=meshes, wet=False)


def _reach_mm(base: SolidBase) -> float:
    ends = (float(np.hypot(*tube.middle[:, :2].T).max()) for tube in base.tubes)
    return max(base.radius_mm * 2, *ends)


def _bark_colours(
    base: SolidBase,
    corners: Array,
    ground: Mesh,
    rng: np.random.Generator,
    hard: float,
    wet: bool,
    uneven: Noise = sample_noise,
) -> Array:
    """Trunk and roots in tones of their own, with weathering, moss, dust and water."""
    bark = np.array(BARKS[int(rng.integers(len(BARKS)))]) * rng.uniform(0.6, 1.5)
    root = np.array(ROOTS[int(rng.integers(len(ROOTS)))]) * rng.uniform(0.6, 1.5)
    if rng.random() < 0.35:
        root = bark * rng.uniform(0.8, 1.3)
    if rng.random() < 0.25 * (0.4 + hard):
        # Roots of the soil's own tone.
        root = ground.colours.mean(0) * rng.uniform(0.7, 1.5)
    out = (
        np.hypot(*(corners[:, :2] - base.axis_at(np.maximum(0, corners[:, 2]))).T) / base.radius_mm
    )
    change = float(rng.uniform(1.0, 1.9))
    share = np.clip((out - change) * rng.uniform(0.8, 4), 0, 1)[:, None]
    tone = bark * (1 - share) + root * share
    for cell, size in ((2.5, 0.10), (9, 0.16), (30, 0.14)):
        tone = (
            tone
            * np.clip(1 + size * rng.uniform(0.4, 1.6) * uneven(corners, cell, rng), 0.35, 2)[
                :, None
            ]
        )
    if rng.random() < 0.7:
        deep = rng.uniform(0.08, 0.4)
        fissures = uneven(_along_the_grain(base, corners, share[:, 0]), 1.8, rng)
        tone = tone * np.clip(1 + deep * fissures, 0.3, 1.8)[:, None]
    tint = uneven(corners, 14, rng)[:, None] * rng.normal(0, 0.07, 3)
    tone = tone * np.clip(1 + tint, 0.5, 1.6)
    if rng.random() < 0.1 + 0.45 * hard:
        moss = np.clip((uneven(corners, 11, rng) - rng.uniform(0.5, 1.5)) * 4, 0, 1)[:, None]
        tone = tone * (1 - moss) + moss * np.array([0.09, 0.15, 0.03]) * rng.uniform(0.7, 1.8)
    if rng.random() < 0.15 + 0.35 * hard:
        dust = np.clip(0.5 + 0.5 * uneven(corners, 6, rng) - corners[:, 2] / 25, 0, 1)[:, None]
        dust = dust * rng.uniform(0.1, 0.7)
        tone = tone * (1 - dust) + dust * ground.colours.mean(0) * rng.uniform(0.8, 1.3)
    top = np.clip((corners[:, 2] - base.top_mm + 1.4) / 0.6, 0, 1)[:, None]
    tone = tone * (1 - top) + top * np.array([0.55, 0.43, 0.28])
    return np.asarray(np.clip(tone * (0.62 if wet else 1.0), 0.008, 0.9))


def _along_the_grain(base: SolidBase, corners: Array, share: Array) -> Array:
    """Places (n, 3) drawn out along trunk and roots, as bark splits; share : (n,), 1 on roots."""
    middle = base.axis_at(np.maximum(0, corners[:, 2]))
    trunk = np.column_stack([corners[:, :2] - middle, corners[:, 2] / LONG_BARK])
    lines = np.concatenate([tube.middle for tube in base.tubes])
    ahead = np.concatenate([np.gradient(tube.middle, axis=0) for tube in base.tubes])
    which = cKDTree(lines).query(corners)[1]
    off, way = corners - lines[which], ahead[which]
    across = (off[:, 0] * way[:, 1] - off[:, 1] * way[:, 0]) / np.hypot(*way[:, :2].T)
    root = np.column_stack([which * STEP_MM / LONG_BARK, across, corners[:, 2]])
    return np.asarray(np.where(share[:, None] > 0.5, root, trunk))


def random_light(rng: np.random.Generator, hard: float) -> Light:
    odds = np.array([0.25 + 0.1 * hard, 0.5 - 0.3 * hard, 0.05 + 0.2 * hard, 0.12])
    kind = str(rng.choice([HARD_SUN, SOFT, DAPPLED, LAMP], p=odds / odds.sum()))
    warm = rng.uniform(-0.12, 0.12)
    sky = np.array([1 - warm * 0.6, 1, 1 + warm]) * rng.uniform(0.5, 1.0)
    high, side = np.radians(rng.uniform(22, 75)), rng.uniform(0, 2 * np.pi)
    toward = -np.array([np.cos(high) * np.cos(side), np.cos(high) * np.sin(side), np.sin(high)])
    strength = {
        HARD_SUN: rng.uniform(1.2, 4.5),
        SOFT: rng.uniform(0, 0.7),
        DAPPLED: rng.uniform(1.5, 4),
        LAMP: rng.uniform(0.6, 2),
    }[kind]
    return Light(kind, sky, strength * np.array([1.05, 1.0, 0.9]), toward)


def _leaves(rng: np.random.Generator, light: Light) -> Mesh:
    """Leaves overhead, out of the picture, whose shadows fall on the base."""
    corners, faces, total = [], [], 0
    for _ in range(int(rng.integers(25, 160))):
        # Along the sun's way, so that the shadow falls near the base.
        ground = np.append(rng.normal(0, 150, 2), 0.0)
        middle = ground - light.toward * rng.uniform(900, 1600)
        turn = np.arange(12) * np.pi / 6
        long, wide, way = rng.uniform(8, 32), rng.uniform(4, 16), rng.uniform(0, np.pi)
        u, v = long * np.cos(turn), wide * np.sin(turn)
        ring = np.column_stack(
            [
                np.cos(way) * u - np.sin(way) * v,
                np.sin(way) * u + np.cos(way) * v,
                rng.normal(0, 0.3) * u,
            ]
        )
        corners.append(np.vstack([middle, middle + ring]))
        faces.append(np.array([[0, i + 1, (i + 1) % 12 + 1] for i in range(12)]) + total)
        total += 13
    found = np.concatenate(corners)
    return Mesh(found, np.concatenate(faces).astype(np.int32), np.full((len(found), 3), 0.1))


def lay_sheet(rng: np.random.Generator, reach: float, pot: Pot | None, hard: float) -> Sheet | None:
    """The card beside the base, on the soil or across the rim."""
    away = reach * float(rng.uniform(0.55, 1.0)) + HALF[1] * float(rng.uniform(0.5, 1.0))
    side = float(rng.uniform(0, 2 * np.pi))
    height = float(rng.uniform(1, 9) if pot is None else max(4.0, pot.rim_mm) + rng.uniform(0, 8))
    tilt = rng.normal(0, 0.03 * hard, 2) if rng.random() < 0.5 * hard else np.zeros(2)
    return Sheet(
        (away * np.cos(side), away * np.sin(side)),
        side + np.pi / 2 + float(rng.normal(0, 0.35)),
        height,
        (float(tilt[0]), float(tilt[1])),
        float(rng.uniform(0.5, 2)) if rng.random() < 0.45 * hard else 0.0,
        float(rng.uniform(0, 0.9)) if rng.random() < 0.7 * hard else 0.0,
    )
