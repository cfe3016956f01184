"""The supply map: which root feeds which stem or branch, and what the cuts would starve."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mirvo.core.rootwork.cuts import RootCase
from mirvo.web.drawings.scene import Scene

WIDTH_PX, ROW_PX, TOP_PX = 520.0, 34.0, 18.0
ROOT_X, STEM_X = 46.0, 330.0
# Thick roots are drawn thicker, yet the thickest must not cover its neighbour's line.
PX_PER_MM = 0.45
MIN_LINE_PX = 1.5


def draw_supply(
    cases: Mapping[str, RootCase], stems: Sequence[str], cuts: Mapping[str, float]
) -> Scene | None:
    """Roots on the left, what they feed on the right; None while nothing is traced.

    cuts : part of the length that goes, by root; a root removed feeds nothing any more.
    """
    feeding = {label: case for label, case in cases.items() if case.feeds}
    if not feeding:
        return None
    left = {
        stem: [
            label
            for label, case in feeding.items()
            if stem in case.feeds and case.alive and cuts.get(label, 0.0) < 1.0
        ]
        for stem in stems
    }
    text = "; ".join(f"{stem} fed by {', '.join(by) or 'nothing'}" for stem, by in left.items())
    # Both columns begin at the top; the longer one gives the height.
    rows = max(len(feeding), len(stems))
    scene = Scene("supply", WIDTH_PX, 2 * TOP_PX + ROW_PX * rows, "Supply map", text)
    root_y = {label: TOP_PX + ROW_PX * (i + 0.5) for i, label in enumerate(feeding)}
    stem_y = {stem: TOP_PX + ROW_PX * (i + 0.5) for i, stem in enumerate(stems)}
    for label, case in feeding.items():
        for stem in case.feeds:
            role = "supply-line" if label in left[stem] else "supply-cut"
            scene.curve(_way(root_y[label], stem_y[stem]), f"{role} {_thickness(case)}")
    for label, height in root_y.items():
        role = "root-label-cut" if cuts.get(label, 0.0) >= 1.0 else "root-label"
        scene.write((ROOT_X, height + 5), label, role, "middle")
    for stem, height in stem_y.items():
        role = "words" if left[stem] else "planned-words"
        scene.write((STEM_X, height + 5), stem if left[stem] else f"{stem}: none left", role)
    return scene


def _way(root_y: float, stem_y: float) -> str:
    """A soft line from a root to what it feeds."""
    middle = (ROOT_X + STEM_X) / 2
    bend = f"C{middle:.1f} {root_y:.1f} {middle:.1f} {stem_y:.1f}"
    return f"M{ROOT_X + 14:.1f} {root_y:.1f} {bend} {STEM_X - 10:.1f} {stem_y:.1f}"


def _thickness(case: RootCase) -> str:
    """A class for the line's width: a thicker root is drawn with a thicker line."""
    width = max(MIN_LINE_PX, (case.base_width_mm or 0.0) * PX_PER_MM)
    # Classes and not a style: the content policy allows no inline styles.
    return f"line-{min(9, round(width))}"
