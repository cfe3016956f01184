"""Path-traced photos with their truth: python -m tools.traced FOLDER FIRST_SEED COUNT [WIDTH]"""

from __future__ import annotations

import json
import sys
from datetime import date
from pathlib import Path

import numpy as np

from tools.traced.render import as_jpeg, develop, trace
from tools.traced.scene import PRESETS, random_scene
from tools.traced.truth import truth_of

SAMPLES, QUALITY = 24, 90
TAKEN_ON = date(2026, 11, 1)


def main(folder: str, first: str, count: str, width: str = "2000") -> None:
    for seed in range(int(first), int(first) + int(count)):
        preset = list(PRESETS)[seed % len(PRESETS)]
        scene = random_scene(seed, preset, int(width), int(width) * 3 // 4)
        light, places, _ = trace(scene, SAMPLES, denoised=True)
        picture = develop(light, np.random.default_rng(seed + 1), PRESETS[preset])
        out = Path(folder) / str(seed)
        out.mkdir(parents=True, exist_ok=True)
        (out / "photo.jpg").write_bytes(
            as_jpeg(picture, TAKEN_ON, scene.camera.focal_35mm, QUALITY)
        )
        (out / "truth.json").write_text(json.dumps(truth_of(scene, places)))
        print(seed, preset, flush=True)


if __name__ == "__main__":
    main(*sys.argv[1:])
