"""Path-traced photos with their truth:

    python -m tools.traced FOLDER FIRST_SEED COUNT [WIDTH [CONDITION]]

Without a condition all presets in turn; with one of `conditions.CONDITIONS` easy scenes under it,
in a folder of that name. Seeds whose card lies outside the picture are passed over, scenes that
are there already are left as they are.
"""

from __future__ import annotations

import json
import sys
from datetime import date
from pathlib import Path

import numpy as np

from tools.traced.conditions import ASIDE, under
from tools.traced.render import as_jpeg, develop, roots_shown, trace
from tools.traced.scene import PRESETS, random_scene
from tools.traced.truth import card_in_view, truth_of

SAMPLES, QUALITY = 16, 90
EASY, NOISE = "easy", 14.0
TAKEN_ON = date(2026, 11, 1)


def main(folder: str, first: str, count: str, width: str = "2000", condition: str = "") -> None:
    shown, seed = 0, int(first) - 1
    while shown < int(count):
        seed += 1
        preset = EASY if condition else list(PRESETS)[seed % len(PRESETS)]
        out = Path(folder) / condition / str(seed)
        scene = random_scene(seed, preset, int(width), int(width) * 3 // 4)
        if not card_in_view(scene):
            continue
        shown += 1
        if (out / "truth.json").exists():
            continue
        if condition:
            scene = under(condition, scene)
        light, places, numbers = trace(scene, SAMPLES, denoised=True)
        rng = np.random.default_rng(seed + 1)
        picture = develop(light, rng, PRESETS[preset])
        if condition == "noise":
            noisy = picture + rng.normal(0, NOISE, picture.shape)
            picture = np.clip(noisy, 0, 255).astype(np.uint8)
        out.mkdir(parents=True, exist_ok=True)
        (out / "photo.jpg").write_bytes(
            as_jpeg(picture, TAKEN_ON, scene.camera.focal_35mm, QUALITY)
        )
        truth = truth_of(scene, places, roots_shown(scene, places, numbers))
        if condition == "outline-aside":
            outline = np.array(truth["marks"]["trunk"]["outline"])
            across = float(np.ptp(outline, axis=0).mean())
            truth["marks"]["trunk"]["outline"] = (
                outline + np.array([ASIDE * across, 0.0])
            ).tolist()
        (out / "truth.json").write_text(json.dumps(truth))
        print(seed, preset, condition, flush=True)


if __name__ == "__main__":
    main(*sys.argv[1:])
