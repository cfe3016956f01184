"""The demo yard's photos from above, made with the path-traced camera, with their truth.

    python -m tools.demo_photos

They are made once and ship with the demo (mirvo/demo/photos); whoever starts it measures them as
a user measures his own. A photo that is there already is not made again.
"""

from __future__ import annotations

import json
from dataclasses import replace

import numpy as np
import numpy.typing as npt
from shapely import MultiPoint

from mirvo.demo.load import PHOTOS, history_of, photo_name
from mirvo.demo.scenario import read_scenario
from mirvo.standins.base import Base
from mirvo.standins.photo import true_marks
from mirvo.standins.scene import Layout
from mirvo.standins.truth import true_figures
from tools.traced.base import Array
from tools.traced.camera import TracedCamera, random_traced_camera
from tools.traced.of_base import solid_of
from tools.traced.render import as_jpeg, develop, trace
from tools.traced.scene import DAPPLED, TracedScene, lay_sheet, random_light, random_scene
from tools.traced.sheet import Sheet

SIZE = (1600, 1200)
SAMPLES, QUALITY, HARD = 12, 84, 0.25
MARGIN_PX, TRIES, MAX_TILT_DEG = 25.0, 4000, 11.0
# What a person could measure with a ruler: to half a millimetre.
HEIGHT_STEP_MM = 0.5
BURNT, SHOTS = 250, 5
# Of paper round the markers, and room beside it.
PAPER_MM = 14.0


def main() -> None:
    PHOTOS.mkdir(exist_ok=True)
    for number, tree in enumerate(read_scenario().trees):
        for shot in history_of(number, tree).shots:
            name = photo_name(tree, shot.taken_on)
            if (PHOTOS / f"{name}.jpg").exists():
                continue
            scene = _scene(shot.base, tree.seed, shot.seed)
            light, _, _ = trace(scene, SAMPLES, denoised=True)
            picture = _exposed(light, shot.seed)
            content = as_jpeg(picture, shot.taken_on, scene.camera.focal_35mm, QUALITY)
            (PHOTOS / f"{name}.jpg").write_bytes(content)
            (PHOTOS / f"{name}.json").write_text(json.dumps(_truth(shot.base, scene)))
            print(name, len(content) // 1000, "kB", flush=True)


def _exposed(light: Array, seed: int) -> npt.NDArray[np.uint8]:
    """Of several exposures the one that burns least out, as one would choose it."""
    shots = [develop(light, np.random.default_rng(seed + 1000 * k), HARD) for k in range(SHOTS)]
    return min(shots, key=lambda shot: float((shot.min(axis=-1) > BURNT).mean()))


def _scene(base: Base, tree_seed: int, shot_seed: int) -> TracedScene:
    """The tree's own soil, bark and pot, on a day of its own."""
    scene = random_scene(7000 + tree_seed, "easy", *SIZE, base=solid_of(base, tree_seed))
    rng = np.random.default_rng(shot_seed)
    light = random_light(rng, HARD)
    while light.kind == DAPPLED:
        light = random_light(rng, HARD)
    reach = max(float(np.hypot(*tube.middle[:, :2].T).max()) for tube in scene.base.tubes)
    for _ in range(TRIES):
        camera = random_traced_camera(rng, *SIZE, reach, HARD)
        sheet = lay_sheet(rng, reach, scene.pot, 0.0)
        if sheet is not None and _all_in_view(camera, sheet, scene):
            return replace(scene, camera=camera, sheet=sheet, light=light, leaves=None, wet=False)
    raise ValueError(f"no camera sees card and base of shot {shot_seed} whole")


def _all_in_view(camera: TracedCamera, sheet: Sheet, scene: TracedScene) -> bool:
    """Whether card and roots lie in the picture, the card beside the roots, seen from above."""
    if np.degrees(np.arccos(-camera.turn[2, 2])) > MAX_TILT_DEG:
        return False
    crests = np.concatenate([tube.crest for tube in scene.base.tubes])
    corners = camera.see(sheet.corners())
    seen = np.concatenate([camera.see(crests), corners])
    inside = (seen > MARGIN_PX) & (seen < np.array(SIZE) - MARGIN_PX)
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
