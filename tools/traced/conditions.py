"""What makes a base hard to read, one condition at a time, laid onto a scene that is easy else."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from tools.traced.base import Array
from tools.traced.scene import TracedScene
from tools.traced.solid import Mesh, sample_noise
from tools.traced.surroundings import litter

ROOT_TONE = np.array([0.46, 0.20, 0.11])
MOSS_TONE = np.array([0.10, 0.17, 0.03])
LEAF_TONES = np.array([[0.10, 0.16, 0.04], [0.22, 0.24, 0.06], [0.30, 0.16, 0.05]])
DUST, MOSS_LEVEL, TWIGS, LEAVES = 0.65, 0.5, 45, 8
# How far to one side the trunk's outline is drawn, of its diameter.
ASIDE = 0.08
Tones = Callable[[TracedScene, Array, Array, np.random.Generator], Array]


def _other_colour(scene: TracedScene, tone: Array, root: Array, rng: np.random.Generator) -> Array:
    light = tone.mean(axis=1, keepdims=True) / max(1e-6, float(tone.mean()))
    return tone * (1 - root) + root * ROOT_TONE * light


def _soils_tone(scene: TracedScene, tone: Array, root: Array, rng: np.random.Generator) -> Array:
    soil = scene.meshes["soil"].colours.mean(axis=0)
    light = tone.mean(axis=1, keepdims=True) / max(1e-6, float(tone[root[:, 0] > 0.5].mean()))
    return tone * (1 - root) + root * soil * light


def _dusty(scene: TracedScene, tone: Array, root: Array, rng: np.random.Generator) -> Array:
    soil = scene.meshes["soil"].colours.mean(axis=0)
    patchy = 0.6 + 0.4 * sample_noise(scene.meshes["base"].corners, 7, rng)
    dust = root * np.clip(DUST * patchy, 0, 0.95)[:, None]
    return tone * (1 - dust) + dust * soil


def _mossy(scene: TracedScene, tone: Array, root: Array, rng: np.random.Generator) -> Array:
    patch = sample_noise(scene.meshes["base"].corners, 12, rng)
    moss = np.clip((patch - MOSS_LEVEL) * 5, 0, 1)[:, None]
    return tone * (1 - moss) + moss * MOSS_TONE


CONDITIONS: dict[str, tuple[Tones, ...]] = {
    "plain": (),
    "other-colour": (_other_colour,),
    "dust": (_dusty,),
    "moss": (_mossy,),
    "dust-and-moss": (_dusty, _mossy),
    "soils-tone": (_soils_tone,),
    "twigs": (),
    "noise": (),
    "leaves": (),
    "outline-aside": (),
}


def under(condition: str, scene: TracedScene) -> TracedScene:
    """The scene under a condition of `CONDITIONS`. Raises KeyError for another."""
    rng = np.random.default_rng(scene.seed + 17)
    skin = scene.meshes["base"]
    axis = scene.base.axis_at(np.maximum(0, skin.corners[:, 2]))
    out = np.hypot(*(skin.corners[:, :2] - axis).T) / scene.base.radius_mm
    root = np.clip((out - 1.15) * 6, 0, 1)[:, None]
    tone = skin.colours
    for change in CONDITIONS[condition]:
        tone = change(scene, tone, root, rng)
    meshes = scene.meshes | {"base": replace(skin, colours=np.clip(tone, 0.008, 0.9))}
    if condition == "twigs":
        reach = max(float(np.hypot(*tube.middle[:, :2].T).max()) for tube in scene.base.tubes)
        lying = litter(rng, reach, TWIGS)
        if lying is not None:
            meshes = meshes | {"litter": lying}
    if condition == "leaves":
        meshes = meshes | {"fallen": _fallen(scene, rng)}
    return replace(scene, meshes=meshes)


def _fallen(scene: TracedScene, rng: np.random.Generator) -> Mesh:
    """Leaves that lie on the trunk and hang over its edge."""
    radius, corners, faces, tones = scene.base.radius_mm, [], [], []
    for number in range(LEAVES):
        middle = rng.normal(0, 0.6, 2) * radius
        turn, way = np.arange(12) * np.pi / 6, rng.uniform(0, np.pi)
        u = radius * rng.uniform(0.25, 0.5) * np.cos(turn)
        v = radius * rng.uniform(0.1, 0.25) * np.sin(turn)
        flat = np.stack([np.cos(way) * u - np.sin(way) * v, np.sin(way) * u + np.cos(way) * v])
        # On what stands there, each over the one before it.
        height = scene.base.top_mm + 1 + number if np.hypot(*middle) < radius else 10.0 + number
        ring = np.column_stack([middle + flat.T, height + 0.1 * u])
        corners.append(np.vstack([[*middle, height], ring]))
        faces.append(np.array([[0, i + 1, (i + 1) % 12 + 1] for i in range(12)]) + 13 * number)
        tones.append(np.tile(LEAF_TONES[number % len(LEAF_TONES)] * rng.uniform(0.7, 1.3), (13, 1)))
    return Mesh(
        np.concatenate(corners), np.concatenate(faces).astype(np.int32), np.concatenate(tones)
    )
