"""The demo yard's photos, made with the path-traced camera: from above and from the side with
their truth, and plain ones after the cuts and some weeks later.

    python -m tools.demo_photos

They are made once and ship with the demo (mirvo/demo/photos); whoever starts it measures them as
a user measures his own. A photo that is there already is not made again.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from functools import partial
from itertools import count

import numpy as np
import numpy.typing as npt
from shapely import MultiPoint

from mirvo.demo.history import PHOTOS, TURNS_DEG, Shot, history_of, photo_name, side_name
from mirvo.demo.scenario import DemoTree, read_scenario
from mirvo.standins.base import Base
from mirvo.standins.photo import true_marks
from mirvo.standins.scene import Layout
from mirvo.standins.truth import true_figures
from mirvo.standins.turntable import TOP_MM, side_camera
from tools.traced.base import Array
from tools.traced.camera import TracedCamera, random_traced_camera
from tools.traced.of_base import solid_of
from tools.traced.render import as_jpeg, develop, trace
from tools.traced.scene import (
    DAPPLED,
    SOFT,
    Light,
    TracedScene,
    in_bark_of,
    lay_sheet,
    random_light,
    random_scene,
)
from tools.traced.sheet import Sheet
from tools.traced.solid import Mesh
from tools.traced.surroundings import bench, pot_mesh
from tools.traced.turntable import from_the_side, side_figures, side_marks

SIZE, PLAIN_SIZE = (1600, 1200), (1200, 900)
SAMPLES, QUALITY, HARD = 6, 84, 0.25
MARGIN_PX, TRIES, MAX_TILT_DEG = 25.0, 4000, 11.0
# What a person could measure with a ruler: to half a millimetre.
HEIGHT_STEP_MM = 0.5
BURNT, SHOTS = 250, 5
# What is drawn by chance for a tree alone, and where its bench lies below its roots.
GLAZE, BENCH, BENCH_MM = 1, 2, -60.0
PALE = (0.36, 0.55)
# Of paper round the markers, and room beside it.
PAPER_MM = 14.0
# A trunk that narrows slowly; views from the side have seeds of their own.
SIDE_TAPER, SIDE_SEED = 0.0012, 300


def main() -> None:
    PHOTOS.mkdir(exist_ok=True)
    for number, tree in enumerate(read_scenario().trees):
        history = history_of(number, tree)
        for shot in history.shots:
            _make(photo_name(tree, shot.taken_on), partial(_from_above, tree.seed, shot))
        for shot in history.seen_after:
            name = photo_name(tree, shot.taken_on, shot.kind)
            _make(name, partial(_plain, tree.seed, shot))
        if tree.turntable is not None:
            for turn in TURNS_DEG:
                name = photo_name(tree, tree.turntable, side_name(turn))
                _make(name, partial(_turned, tree, history.shots[-1].base, turn))


@dataclass(frozen=True)
class Made:
    """A scene to render, the day of the photo, what is known of it, and by chance what seed."""

    scene: TracedScene
    taken_on: date
    seed: int
    known: dict[str, object] | None = None


def _make(name: str, made_by: Callable[[], Made]) -> None:
    if (PHOTOS / f"{name}.jpg").exists():
        return
    made = made_by()
    light, _, _ = trace(made.scene, SAMPLES, denoised=True)
    picture = _exposed(light, made.seed)
    content = as_jpeg(picture, made.taken_on, made.scene.camera.focal_35mm, QUALITY)
    (PHOTOS / f"{name}.jpg").write_bytes(content)
    if made.known is not None:
        (PHOTOS / f"{name}.json").write_text(json.dumps(made.known))
    print(name, len(content) // 1000, "kB", flush=True)


def _from_above(tree_seed: int, shot: Shot) -> Made:
    scene = _scene(shot.base, tree_seed, shot.seed)
    return Made(scene, shot.taken_on, shot.seed, _truth(shot.base, scene))


def _plain(tree_seed: int, shot: Shot) -> Made:
    """Without a card, as one takes it between other work; watered in after the cuts."""
    scene = _scene(shot.base, tree_seed, shot.seed, PLAIN_SIZE)
    scene = replace(scene, sheet=None, wet=shot.kind == "after")
    return Made(scene, shot.taken_on, shot.seed)


def _turned(tree: DemoTree, base: Base, turn_deg: float) -> Made:
    """One view of the turntable; the trunk stands as high as the camera looks."""
    assert tree.turntable is not None
    solid = replace(solid_of(base, tree.seed), top_mm=TOP_MM, taper=SIDE_TAPER)
    seed = SIDE_SEED + tree.seed
    scene = random_scene(7000 + tree.seed, "easy", *SIZE, base=solid)
    scene = _at_home(scene, tree.seed)
    daylight = Light(SOFT, np.full(3, 0.8), np.full(3, 0.5), np.array([0.45, 0.65, -0.6]))
    shown = from_the_side(replace(scene, light=daylight), side_camera(seed, SIZE), turn_deg)
    known = {
        "base": base.as_json(),
        "figures": side_figures(solid, turn_deg),
        "marks": side_marks(solid, shown.camera, turn_deg),
    }
    return Made(shown, tree.turntable, seed, known)


def _exposed(light: Array, seed: int) -> npt.NDArray[np.uint8]:
    """Of several exposures the one that burns least out, as one would choose it."""
    shots = [develop(light, np.random.default_rng(seed + 1000 * k), HARD) for k in range(SHOTS)]
    return min(shots, key=lambda shot: float((shot.min(axis=-1) > BURNT).mean()))


def _scene(base: Base, tree_seed: int, shot_seed: int, size: tuple[int, int] = SIZE) -> TracedScene:
    """The tree's own soil, bark and pot, on a day of its own."""
    plain = random_scene(7000 + tree_seed, "easy", *size, base=solid_of(base, tree_seed))
    scene = _at_home(plain, tree_seed)
    rng = np.random.default_rng(shot_seed)
    light = random_light(rng, HARD)
    while light.kind == DAPPLED:
        light = random_light(rng, HARD)
    reach = max(float(np.hypot(*tube.middle[:, :2].T).max()) for tube in scene.base.tubes)
    for _ in range(TRIES):
        camera = random_traced_camera(rng, *size, reach, HARD)
        sheet = lay_sheet(rng, reach, scene.pot, 0.0)
        if sheet is not None and _all_in_view(camera, sheet, scene):
            return replace(scene, camera=camera, sheet=sheet, light=light, leaves=None)
    raise ValueError(f"no camera sees card and base of shot {shot_seed} whole")


def _at_home(scene: TracedScene, tree_seed: int) -> TracedScene:
    """In the bark, the pot's glaze and on the bench that belong to the tree in all its years."""
    seed = 7000 + tree_seed
    meshes = dict(scene.meshes)
    if scene.pot is not None:
        meshes["pot"] = pot_mesh(scene.pot, np.random.default_rng([seed, GLAZE]))
        meshes["bench"] = _pale_bench(seed)
    return in_bark_of(replace(scene, meshes=meshes), seed)


def _pale_bench(seed: int) -> Mesh:
    """A bench so pale that the camera does not burn out the card on it."""
    benches = (bench(np.random.default_rng([seed, BENCH, k]), BENCH_MM) for k in count())
    return next(one for one in benches if PALE[0] < float(one.colours.mean()) < PALE[1])


def _all_in_view(camera: TracedCamera, sheet: Sheet, scene: TracedScene) -> bool:
    """Whether card and roots lie in the picture, the card beside the roots, seen from above."""
    if np.degrees(np.arccos(-camera.turn[2, 2])) > MAX_TILT_DEG:
        return False
    crests = np.concatenate([tube.crest for tube in scene.base.tubes])
    corners = camera.see(sheet.corners())
    seen = np.concatenate([camera.see(crests), corners])
    inside = (seen > MARGIN_PX) & (seen < np.array([camera.width, camera.height]) - MARGIN_PX)
    paper = MultiPoint(sheet.corners()[:, :2]).convex_hull.buffer(PAPER_MM)
    clear = not paper.intersects(MultiPoint(crests[:, :2]))
    front = camera.see(np.array([[0.0, -1.5 * scene.base.radius_mm, 0.0]]))
    return bool(inside.all() and clear and np.ptp(corners[:, 0]) > 250 and front.min() > 0)


def _truth(base: Base, scene: TracedScene) -> dict[str, object]:
    keys = {root.key: root.key for root in base.roots}
    marks = true_marks(base, scene.camera, Layout(), keys)
    assert scene.sheet is not None
    height = round(scene.sheet.height_mm / HEIGHT_STEP_MM) * HEIGHT_STEP_MM
    marks["calibration"] = {"kind": "card", "height_above_root_plane_mm": height}
    front = scene.camera.see(np.array([[0.0, -1.8 * base.radius_mm, 0.0]]))[0]
    return {
        "base": base.as_json(),
        "figures": true_figures(base),
        "marks": {**marks, "front": front.tolist()},
    }


if __name__ == "__main__":
    main()
