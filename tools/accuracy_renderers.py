"""How true the measuring is on photos of several renderers, told in docs/accuracy-renderers.md.

    python -m tools.accuracy_renderers quick FOLDER 24       # photos of the quick camera
    python -m tools.traced FOLDER 700000 24                  # path-traced ones, a minute each
    python -m tools.traced FOLDER 800000 8 1400 CONDITION    # for each of traced.conditions
    python -m tools.accuracy_renderers measure NAME=FOLDER NAME=FOLDER …    # one column each
    python -m tools.accuracy_renderers worst FOLDER          # pictures of the worst of them

A proposal follows a root when 70 % of its path lies within the root's half width (and 3 px) of
the visible crest and it covers 60 % of that crest. Roots hidden for more than half of their length
need not be found; a proposal that follows what shows of one is told apart.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image, ImageOps
from scipy.spatial import cKDTree
from shapely import Polygon

from mirvo.core.errors import BadInput
from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.geometry import dense
from mirvo.core.measure.marks import read_marks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import RootRecord
from mirvo.core.measure.top import measure_top
from mirvo.core.measure.uncertainty import Draws
from mirvo.core.vision.assist import assistant
from mirvo.core.vision.card import find_card
from mirvo.core.vision.trunk import propose_trunk
from mirvo.standins.base import random_base
from mirvo.standins.camera import phone_camera
from mirvo.standins.card import CardPlace
from mirvo.standins.photo import card_seen, take_photo, true_marks
from mirvo.standins.scene import Layout, random_palette
from mirvo.standins.truth import true_figures
from tests.hand import shaken, taken_up
from tools.traced.conditions import CONDITIONS

PAGE = Path(__file__).parent.parent / "docs" / "accuracy-renderers.md"
CLICK_SD_PX = 2.0
# How many times each photo is clicked anew: one hand says little of seventy roots.
HANDS = 8
WHOLE_MARKERS = 3
# A proposed trunk is of use where its middle lies less far off than so much of its width, and it
# is no wider or narrower than by this.
TRUNK_ASIDE, TRUNK_WIDER = 1 / 3, 1.6
WORST, SHOWN, CROP_PX = PAGE.parent / "accuracy", 3, 420
JPEG = [cv2.IMWRITE_JPEG_QUALITY, 80]
CROP_MARGIN_PX, CROP_CLICK_SD_PX = 40, 0.7
QUICK_SEED, QUICK_SIZE = 600_000, (4032, 3024)
# What the desk takes an outline said to be guessed to lie off, of its width.
GUESSED = 0.05
CONDITIONS_HEAD = (
    "## Condition by condition",
    "",
    "Easy scenes 1400 px wide, each under one condition: the same bases in each row. Precision "
    "with roots hidden for more than half counted.",
    "",
    "| condition | scenes | recall | precision | traced | azimuth of clicks held by the ± |",
    "|---|---|---|---|---|---|",
)
TOLD = (
    '"Taken up" is what is measured once the artist has taken up a proposal as it stands. '
    "Roots that the card or the trunk hides for more than half of their length need not be "
    "found; a proposal of what shows of one is wrong by the first row of precision and right "
    "by the second. A proposed trunk is of use where its middle is off by less than a third of its "
    f"width and its width by less than {TRUNK_WIDER} times. Traced is what a click at the tip "
    "finds, where it follows its root. Clicks are "
    f"those of {HANDS} hands, each straying by 2 px. A base's width is what is seen of it between "
    "soil and soil. Where trunk, card or leaves hide the base, its width is left out, and the "
    "azimuth clicked there. Cropped: marks set with care on two parts of each photo, its left cut "
    "off, and all that can be; where the camera looked straight down no card shows that, and reach "
    "may be off by more than its ±."
)
TOLD_OF_ASIDE = (
    "An outline drawn a twelfth of the trunk to one side turns every azimuth with it; said to "
    "be guessed, its ± says so."
)
NEAR_PX, OF_PATH, OF_CREST = 3.0, 0.7, 0.6


@dataclass
class Found:
    """What all scenes together came to; errors by figure, and whether the ± held."""

    scenes: int = 0
    cards: int = 0
    scale_flat: list[float] = field(default_factory=list)
    scale_bent: list[float] = field(default_factory=list)
    corners_px: list[float] = field(default_factory=list)
    errors: dict[str, list[float]] = field(default_factory=dict)
    held: dict[str, list[bool]] = field(default_factory=dict)
    hit: list[bool] = field(default_factory=list)
    right: list[bool] = field(default_factory=list)
    # The same with those that follow a root hidden for more than half counted as right.
    of_any_root: list[bool] = field(default_factory=list)
    traced: list[bool] = field(default_factory=list)
    seconds: list[float] = field(default_factory=list)
    trunks: list[bool] = field(default_factory=list)
    trunk_seconds: list[float] = field(default_factory=list)

    def note(self, name: str, error: float, plus_minus: float | None = None) -> None:
        self.errors.setdefault(name, []).append(abs(error))
        if plus_minus is not None:
            self.held.setdefault(name, []).append(abs(error) <= plus_minus)


def _turned(found: float, true: float) -> float:
    return (found - true + 180.0) % 360.0 - 180.0


def look_at(folder: Path, found: Found, outline_off: float = 0.0) -> None:
    """One scene: its card, figures from clicks, proposals and traces.

    outline_off : what the artist says the whole outline may lie off, of the trunk's width.
    """
    truth = json.loads((folder / "truth.json").read_text())
    image = ImageOps.exif_transpose(Image.open(folder / "photo.jpg")).convert("RGB")
    picture = np.asarray(image)
    photo = PhotoInfo(image.width, image.height, round(truth["focal_35mm"]))
    corners_true = np.array(truth["card_corners_px"])
    inside = (corners_true > 0) & (corners_true < [photo.width - 1, photo.height - 1])
    # A card that lies mostly outside the picture is no card to be found.
    if inside.reshape(4, 8).all(axis=1).sum() < WHOLE_MARKERS:
        return
    found.scenes += 1
    try:
        corners = find_card(np.asarray(image.convert("L")))
    except BadInput:
        return
    found.cards += 1
    away = np.hypot(*(corners - corners_true).T)
    found.corners_px.append(float(np.nanmean(away)))
    marks, true = truth["marks"], {root["label"]: root for root in truth["roots"]}
    exact = measure_top(read_marks({**marks, "roots": []}), photo, corners)
    scale = 100 * (exact.trunk_diameter_mm.value / truth["trunk_diameter_mm"] - 1)
    (found.scale_flat if truth["card_flat"] else found.scale_bent).append(abs(scale))
    across = float(np.ptp(np.array(marks["trunk"]["outline"]), axis=0).mean())
    trunk = {**marks["trunk"], "outline_sd_px": outline_off * across}
    _clicks(found, {**marks, "trunk": trunk}, truth, true, photo, corners)
    _cropped(found, truth, photo, corners)
    _look_for_trunk(found, picture, marks, photo, corners)
    started = time.perf_counter()
    helper = assistant(read_marks({**marks, "roots": []}), photo, picture, corners)
    proposed = helper.propose()
    found.seconds.append(time.perf_counter() - started)
    lines, halves = _lines_of(marks["roots"])
    hidden = _lines_of(truth.get("partly_seen", []))
    seen: set[str] = set()
    taken_all = taken_up(proposed)
    figures = _measured(taken_all, marks, photo, corners)
    for one, taken in zip(proposed, figures, strict=True):
        label = _followed(dense(one.path), lines, halves)
        found.right.append(label is not None)
        partly = label is None and _followed(dense(one.path), *hidden) is not None
        found.of_any_root.append(label is not None or partly)
        if label is None or label in seen:
            continue
        seen.add(label)
        known = true[label]
        found.note("azimuth, proposed, °", _turned(one.azimuth_deg, known["azimuth_deg"]))
        if known.get("base_seen", True):
            wide = float(np.hypot(*(one.base_width[1] - one.base_width[0]))) / 2
            found.note("base width, proposed, %", 100 * (wide / halves[label] - 1))
        _note_found(found, "taken up", taken, known)
    found.hit += [label in seen for label in lines]
    traced = []
    for label, line in lines.items():
        try:
            one = helper.trace((float(line[-1][0]), float(line[-1][1])))
        except BadInput:
            found.traced.append(False)
            continue
        follows = _followed(dense(np.array(one.path)), {label: line}, halves) is not None
        found.traced.append(follows)
        if follows:
            traced.append({"label": label, **one.model_dump(mode="json")})
    for taken in _measured(traced, marks, photo, corners):
        _note_found(found, "traced", taken, true[taken.label])


def _cropped(found: Found, truth: Any, photo: PhotoInfo, corners: Any) -> None:
    """Figures of exact marks on a part of the photo: its left cut off, and all that can be."""
    marks, true = truth["marks"], {root["label"]: root for root in truth["roots"]}
    kept = np.vstack([*(root["path"] for root in marks["roots"]), corners])
    low = np.maximum(np.nanmin(kept, axis=0) - CROP_MARGIN_PX, 0).astype(int)
    high = np.minimum(np.nanmax(kept, axis=0) + CROP_MARGIN_PX, [photo.width, photo.height])
    whole = (photo.width, photo.height)
    for corner, size in (((low[0], 0), whole), (low, high.astype(int))):
        left, top = map(int, corner)
        part = PhotoInfo(int(size[0]) - left, int(size[1]) - top, photo.focal_length_35mm)
        moved = _moved({name: marks[name] for name in ("trunk", "roots", "front")}, (left, top))
        exact = read_marks({**marks, **moved, "click_sd_px": CROP_CLICK_SD_PX})
        record = measure_top(exact, part, corners - [left, top])
        for name, figure, known in (
            ("trunk diameter", record.trunk_diameter_mm, truth["trunk_diameter_mm"]),
            *(("reach", root.reach_mm, true[root.label]["reach_mm"]) for root in record.roots),
        ):
            error, within = figure.value / known - 1, figure.plus_minus / known
            found.note(f"{name}, cropped, %", 100 * error, 100 * within)


def _moved(marks: Any, corner: tuple[int, int]) -> Any:
    """Marks as they lie in a part of the photo that begins at a corner."""
    if isinstance(marks, dict):
        return {name: _moved(one, corner) for name, one in marks.items()}
    if (
        isinstance(marks, list)
        and len(marks) == 2
        and all(isinstance(n, float | int) for n in marks)
    ):
        return [marks[0] - corner[0], marks[1] - corner[1]]
    return [_moved(one, corner) for one in marks] if isinstance(marks, list) else marks


def _look_for_trunk(found: Found, picture: Any, marks: Any, photo: PhotoInfo, corners: Any) -> None:
    """The trunk's outline proposed beside the true one; of use where little is to be pulled."""
    plane = calibrate_by(read_marks({**marks, "roots": []}), photo, Draws(0.0, 1), corners)
    started = time.perf_counter()
    try:
        outline = propose_trunk(picture, plane).outline
    except BadInput:
        outline = None
    found.trunk_seconds.append(time.perf_counter() - started)
    if outline is None:
        found.trunks.append(False)
        return
    seen, true = Polygon(outline), Polygon(marks["trunk"]["outline"])
    across = float(np.sqrt(true.area))
    away = seen.centroid.distance(true.centroid) / (across * 2 / np.sqrt(np.pi))
    wide = float(np.sqrt(seen.area)) / across
    right = away < TRUNK_ASIDE and 1 / TRUNK_WIDER < wide < TRUNK_WIDER
    found.trunks.append(right)
    if right:
        found.note("trunk proposed, middle, % of its width", 100 * away)
        found.note("trunk proposed, width, %", 100 * (wide - 1))


def _measured(
    roots: list[Any], marks: Any, photo: PhotoInfo, corners: Any
) -> tuple[RootRecord, ...]:
    """What roots found in the photo come to as they stand, in their order."""
    taken = {**marks, "click_sd_px": CLICK_SD_PX, "roots": roots}
    return measure_top(read_marks(taken), photo, corners).roots


def _note_found(found: Found, how: str, root: RootRecord, known: Any) -> None:
    """A root's figures beside the truth; its base's width only where the base is seen."""
    azimuth, reach, width = root.azimuth_deg, root.reach_mm, root.base_width_mm
    off = _turned(azimuth.value, known["azimuth_deg"])
    found.note(f"azimuth, {how}, °", off, azimuth.plus_minus)
    share = 100 / known["reach_mm"]
    found.note(f"reach, {how}, %", share * reach.value - 100, share * reach.plus_minus)
    if width is not None and known.get("base_seen", True):
        share = 100 / known["base_width_mm"]
        found.note(f"base width, {how}, %", share * width.value - 100, share * width.plus_minus)


def _clicks(
    found: Found, marks: Any, truth: Any, true: Any, photo: PhotoInfo, corners: Any
) -> None:
    """Figures from marks that hands which stray by 2 px have set."""
    for hand in range(HANDS):
        rng = np.random.default_rng((truth["seed"], hand))
        _one_hand(found, rng, marks, truth, true, photo, corners)


def _one_hand(
    found: Found,
    rng: np.random.Generator,
    marks: Any,
    truth: Any,
    true: Any,
    photo: PhotoInfo,
    corners: Any,
) -> None:
    clicked = {**marks, "click_sd_px": CLICK_SD_PX}
    for part in ("trunk", "roots"):
        clicked[part] = shaken(marks[part], rng, CLICK_SD_PX)
    try:
        record = measure_top(read_marks(clicked), photo, corners)
    except BadInput:
        return
    trunk = record.trunk_diameter_mm
    share = 100 / truth["trunk_diameter_mm"]
    found.note("trunk diameter, %", share * trunk.value - 100, share * trunk.plus_minus)
    for root in record.roots:
        known = true[root.label]
        azimuth, reach = root.azimuth_deg, root.reach_mm
        share = 100 / known["reach_mm"]
        found.note("reach, %", share * reach.value - 100, share * reach.plus_minus)
        # Nobody clicks at a base that the trunk, the card or leaves hide.
        if not known.get("base_seen", True):
            continue
        found.note("azimuth, °", _turned(azimuth.value, known["azimuth_deg"]), azimuth.plus_minus)
        if root.base_width_mm is not None:
            width = root.base_width_mm
            found.note("base width, mm", width.value - known["base_width_mm"], width.plus_minus)


def _lines_of(roots: list[Any]) -> tuple[dict[str, Any], dict[str, float]]:
    """Crests (n, 2), px, and half widths, px, of marked roots, by label."""
    lines = {root["label"]: dense(np.array(root["path"])) for root in roots}
    halves = {
        root["label"]: float(np.hypot(*np.subtract(*root["base_width"]))) / 2 for root in roots
    }
    return lines, halves


def _followed(path: Any, lines: dict[str, Any], halves: dict[str, float]) -> str | None:
    """The root a path follows, None where it follows none."""
    best: tuple[float, str] | None = None
    for label, line in lines.items():
        near = halves[label] + NEAR_PX
        away, back = cKDTree(line).query(path)[0], cKDTree(path).query(line)[0]
        follows = np.mean(away <= near) >= OF_PATH and np.mean(back <= near) >= OF_CREST
        if follows and (best is None or away.mean() < best[0]):
            best = (float(away.mean()), label)
    return None if best is None else best[1]


def page_of(columns: dict[str, Found]) -> str:
    """The page as Markdown, a column for each renderer."""

    def share(these: list[bool]) -> str:
        return f"{np.mean(these):.2f} of {len(these)}" if these else "none"

    def two(these: list[float], unit: str) -> str:
        return f"{np.median(these):.2f}, {max(these):.2f} {unit}" if these else "none"

    def row(name: str, of: Callable[[Found], str]) -> str:
        return f"| {name} | " + " | ".join(of(found) for found in columns.values()) + " |"

    lines = [
        "# How true the measuring is, renderer by renderer",
        "",
        "Made by `python -m tools.accuracy_renderers`. Path-traced scenes have sun, dappled shade, "
        "moss, dust, tall and leaning trunks, creased cards; their seeds are none the root finder "
        "was taught on. No renderer shares code with the measurer. Median, then the worst; for "
        "errors median, then the 90th percentile, then how many the ± held.",
        "",
        "| | " + " | ".join(columns) + " |",
        "|---" * (len(columns) + 1) + "|",
        row("scenes", lambda found: str(found.scenes)),
        row("card found", lambda found: f"{found.cards} of {found.scenes}"),
        row("corners, mean of a card", lambda found: two(found.corners_px, "px")),
        row("scale, flat cards", lambda found: two(found.scale_flat, "%")),
        row("scale, bent or tilted cards", lambda found: two(found.scale_bent, "%")),
        row("proposals: recall", lambda found: share(found.hit)),
        row("proposals: precision", lambda found: share(found.right)),
        row(
            "the same, roots hidden for more than half counted",
            lambda found: share(found.of_any_root),
        ),
        row("traced from the tip, follows its root", lambda found: share(found.traced)),
        row("trunk proposed, of use", lambda found: share(found.trunks)),
        row("finding the trunk", lambda found: two(found.trunk_seconds, "s")),
        row("setting up and proposing", lambda found: two(found.seconds, "s")),
    ]
    for name in dict.fromkeys(name for found in columns.values() for name in found.errors):
        lines.append(row(name, lambda found, name=name: _error(found, name)))
    return "\n".join([*lines, "", TOLD, ""])


def _error(found: Found, name: str) -> str:
    errors, held = found.errors.get(name), found.held.get(name)
    if not errors:
        return "none"
    kept = "" if held is None else f", {100 * np.mean(held):.0f} %"
    return f"{np.median(errors):.2f}, {np.percentile(errors, 90):.2f}{kept}"


def quick_scenes(folder: Path, count: int) -> None:
    """Photos of the quick camera with the truth as the path-traced ones have it."""
    for seed in range(QUICK_SEED, QUICK_SEED + count):
        base, layout = random_base(seed), Layout(card=CardPlace(), palette=random_palette(seed))
        camera = phone_camera(seed, size=QUICK_SIZE)
        figures, marks = true_figures(base), true_marks(base, camera, layout)
        roots = [
            {
                "label": mark["label"],
                "azimuth_deg": known["azimuth_deg"],
                "base_width_mm": known["width_mm"],
                "reach_mm": known["reach_mm"],
            }
            for mark, known in zip(marks["roots"], figures["roots"], strict=True)
        ]
        assert layout.card is not None
        truth = {
            "seed": seed,
            "focal_35mm": camera.focal_35mm,
            "card_corners_px": card_seen(layout.card, camera).tolist(),
            "card_flat": True,
            "trunk_diameter_mm": figures["trunk_diameter_mm"],
            "marks": marks,
            "roots": roots,
        }
        out = folder / str(seed)
        out.mkdir(parents=True, exist_ok=True)
        (out / "photo.jpg").write_bytes(take_photo(base, camera, date(2026, 11, 1), layout))
        (out / "truth.json").write_text(json.dumps(truth))


def conditions_of(folder: Path) -> list[str]:
    """Rows of the table of conditions, of those that were rendered."""
    rows = []
    told = [(condition, 0.0) for condition in CONDITIONS]
    for condition, off in [*told, ("outline-aside", GUESSED)]:
        found = Found()
        for scene in sorted((folder / condition).glob("*/truth.json")):
            look_at(scene.parent, found, off)
        if not found.scenes:
            continue
        hit, right, traced = map(np.mean, (found.hit, found.of_any_root, found.traced))
        held = found.held.get("azimuth, °", [])
        name = condition.replace("-", " ") + (", said to be guessed" if off else "")
        rows.append(
            f"| {name} | {found.scenes} | {hit:.2f} | {right:.2f} "
            f"| {100 * traced:.0f} % | {100 * np.mean(held):.0f} % |"
        )
        print(rows[-1], flush=True)
    return rows


def measure(named: list[str]) -> None:
    """Measure folders of scenes, each given as NAME=FOLDER, and write the page."""
    columns, rows = {}, []
    for name, _, folder in (one.partition("=") for one in named):
        columns[name] = found = Found()
        for scene in sorted(Path(folder).iterdir()):
            if (scene / "truth.json").exists():
                look_at(scene, found)
                print(name, scene.name, len(found.right), sum(found.right), flush=True)
        rows += conditions_of(Path(folder))
    page = page_of(columns)
    if rows:
        page = "\n".join([page, *CONDITIONS_HEAD, *rows, "", TOLD_OF_ASIDE, ""])
    PAGE.write_text(page)
    print(page)


def draw_worst(folder: Path) -> None:
    """Pictures of the scenes whose roots were found worst: true crests green, proposals that
    follow one yellow, others red."""
    WORST.mkdir(exist_ok=True)
    told = []
    for scene in sorted(folder.glob("*/truth.json")):
        found = Found()
        look_at(scene.parent, found)
        if found.hit:
            wrong = found.hit.count(False) + found.of_any_root.count(False)
            told.append((wrong / len(found.hit), scene.parent))
    for number, (_, scene) in enumerate(sorted(told, reverse=True)[:SHOWN], 1):
        picture = _drawn(scene)
        cv2.imwrite(str(WORST / f"worst-{number}.jpg"), picture[..., ::-1], JPEG)
        print(number, scene.name, json.loads((scene / "truth.json").read_text())["preset"])


def _drawn(scene: Path) -> Any:
    truth = json.loads((scene / "truth.json").read_text())
    image = ImageOps.exif_transpose(Image.open(scene / "photo.jpg")).convert("RGB")
    picture = np.array(image)
    photo = PhotoInfo(image.width, image.height, round(truth["focal_35mm"]))
    corners = find_card(np.asarray(image.convert("L")))
    marks = truth["marks"]
    lines, halves = _lines_of(marks["roots"])
    hidden = _lines_of(truth.get("partly_seen", []))
    proposed = assistant(read_marks({**marks, "roots": []}), photo, picture, corners).propose()
    for line in lines.values():
        cv2.polylines(picture, [np.round(line).astype(np.int32)], False, (60, 220, 60), 4)
    for one in proposed:
        path = dense(one.path)
        right = _followed(path, lines, halves) or _followed(path, *hidden)
        tone = (250, 220, 60) if right else (230, 50, 40)
        cv2.polylines(picture, [np.round(one.path).astype(np.int32)], False, tone, 4)
    x, y = np.mean(marks["trunk"]["outline"], axis=0).astype(int)
    part = picture[max(0, y - CROP_PX) : y + CROP_PX, max(0, x - CROP_PX) : x + CROP_PX]
    return cv2.resize(part, None, fx=0.6, fy=0.6, interpolation=cv2.INTER_AREA)


def main(arguments: list[str]) -> None:
    if arguments[0] == "quick":
        return quick_scenes(Path(arguments[1]), int(arguments[2]))
    if arguments[0] == "worst":
        return draw_worst(Path(arguments[1]))
    return measure(arguments[1:])


if __name__ == "__main__":
    main(sys.argv[1:])
