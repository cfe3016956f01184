"""One plan from several photos of a base, each root measured where it shows best."""

from __future__ import annotations

from copy import deepcopy
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from mirvo.core.errors import BadInput
from mirvo.core.measure import geometry
from mirvo.core.measure.calibration import calibrate_by
from mirvo.core.measure.contract import Contract, read_contract
from mirvo.core.measure.drafts import MarksJson
from mirvo.core.measure.faults import Thresholds
from mirvo.core.measure.marks import TopMarks
from mirvo.core.measure.plane_map import PhotoInfo
from mirvo.core.measure.records import TopRecord
from mirvo.core.measure.roots import PlaneRoot
from mirvo.core.measure.top import Scene, measure_scene, read_scene
from mirvo.core.measure.uncertainty import SEED, Array, Draws

# Two points fix a turn and a shift on the plane.
MIN_SHARED = 2
# Roots marked twice lie closer than this when the card stayed.
CARD_MOVED_MM = 6.0
SCALES_DIFFER = 0.02
# Two sets as large as the contract allows.
READ_PHOTOS = 48
# Two points close together say nothing of the turn.
MIN_APART_MM = 5.0


class SetPhoto(Contract):
    """One photo of a set. `underside` is the lifted tree seen from below."""

    file: Annotated[str, Field(min_length=1, max_length=1000)]
    marks: MarksJson
    underside: bool = False


class TopSet(Contract):
    """The file contract of a photo set."""

    view: Literal["top-set"]
    photos: Annotated[list[SetPhoto], Field(min_length=1, max_length=24)]


@dataclass(frozen=True)
class MarkedPhoto:
    """One photo of a set, ready to be measured. card_corners : (16, 2) px for kind card."""

    name: str
    marks: TopMarks
    photo: PhotoInfo
    card_corners: Array | None = None
    underside: bool = False


def read_top_set(data: Any) -> TopSet:
    """Check the list of a photo set; the marks of each photo are checked by `read_marks`.

    Raises
    ------
    BadInput : names the first entry that cannot be used and why.
    """
    listed = read_contract(TopSet, data)
    names = [photo.file for photo in listed.photos]
    for i, name in enumerate(names):
        if name in names[:i]:
            raise BadInput(f"photos.{i}.file", f"{name} is listed twice")
    return listed


def measure_top_set(
    photos: list[MarkedPhoto],
    leave_out: frozenset[str] = frozenset(),
    limits: Thresholds | None = None,
) -> TopRecord:
    """Measure one plan from several photos.

    Photos share the frame of the card left in place; with two or more `points` or roots of
    the same name marked in both, they are joined by those instead. A photo of the underside
    is mirrored into the plan and always needs such points.

    Raises
    ------
    BadInput : no photo shows the trunk, or one cannot be joined to the others.
    """
    seen = [_see(i, photo) for i, photo in enumerate(photos)]
    joined = _join(seen)
    scene = _one_plan(joined)
    return measure_scene(scene, leave_out, limits)


@dataclass
class _Seen:
    """One photo rectified in its own frame; `shared` are the named points, (rows, 2) mm."""

    index: int
    photo: MarkedPhoto
    scene: Scene
    shared: dict[str, Array]

    def warn(self, sentence: str) -> None:
        self.scene.quality = self.scene.quality.warned(sentence)


def _see(index: int, photo: MarkedPhoto) -> _Seen:
    try:
        # Moved onto the others afterwards, so each join has a copy of its own.
        scene, points = deepcopy(_rectified(_Photo(photo), index))
    except BadInput as error:
        raise BadInput(f"photos.{index}.marks.{error.field}", error.message) from None
    for root in scene.roots:
        root.photo = photo.name
        # A root marked in both photos joins them as well as a named place does.
        points.setdefault(f"root {root.mark.label}", root.base)
    if photo.underside:
        _mirror(scene, points)
    return _Seen(index, photo, scene, points)


class _Photo:
    """A marked photo as it is known again: by its marks and what calibrates it."""

    def __init__(self, photo: MarkedPhoto) -> None:
        self.photo = photo
        corners = photo.card_corners
        seen = None if corners is None else corners.tobytes()
        self.key = (photo.marks.model_dump_json(), photo.photo, seen, photo.underside)

    def __hash__(self) -> int:
        return hash(self.key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Photo) and self.key == other.key


@lru_cache(maxsize=READ_PHOTOS)
def _rectified(of: _Photo, index: int) -> tuple[Scene, dict[str, Array]]:
    """One photo in its own frame. Kept, as marks change in one photo of a set at a time."""
    # A stream of its own; with one for all their errors would be the same errors.
    own = Draws(of.photo.marks.click_sd_px, seed=SEED + index)
    seen = of.photo
    scene = read_scene(seen.marks, seen.photo, own, seen.card_corners, seen.underside)
    return scene, _shared_points(of.photo, own)


def _shared_points(photo: MarkedPhoto, draws: Draws) -> dict[str, Array]:
    if not photo.marks.points:
        return {}
    plane = calibrate_by(photo.marks, photo.photo, draws, photo.card_corners)
    places = plane.to_plane(draws.points(list(photo.marks.points.values())))
    return {name: places[:, i] for i, name in enumerate(photo.marks.points)}


def _mirror(scene: Scene, points: dict[str, Array]) -> None:
    """Turn what was seen from below into the plan seen from above."""
    # Seen from below, left and right are exchanged.
    flip = np.array([-1.0, 1.0])
    _move(scene, points, lambda placed: placed * flip)


def _move(scene: Scene, points: dict[str, Array], onto: Any) -> None:
    scene.trunks = [onto(trunk) for trunk in scene.trunks]
    scene.flare = None if scene.flare is None else onto(scene.flare)
    scene.front = onto(scene.front[:, None])[:, 0]
    for root in scene.roots:
        root.path, root.base = onto(root.path), onto(root.base[:, None])[:, 0]
    for name, place in points.items():
        points[name] = onto(place[:, None])[:, 0]


def _join(seen: list[_Seen]) -> list[_Seen]:
    """Bring every photo into the frame of the first that shows the trunk."""
    start = next((view for view in seen if view.scene.trunks), None)
    if start is None:
        raise BadInput("photos", "no photo of the set has the trunk marked")
    joined, waiting = [start], [view for view in seen if view is not start]
    while waiting:
        # Whichever can be joined now; it may be the bridge for another.
        ready = next((view for view in waiting if _attach(view, joined)), None)
        if ready is None:
            view = waiting[0]
            raise BadInput(
                f"photos.{view.index}",
                f"{view.photo.name} shares neither the card left in place nor two points or roots "
                "marked in both with another photo; mark two points by name in both",
            )
        waiting.remove(ready)
        joined.append(ready)
    return joined


def _attach(view: _Seen, joined: list[_Seen]) -> bool:
    # Places named on purpose go before a card that may have been moved, and that before roots.
    for named_only in (True, False):
        for other in joined:
            names = _in_both(view, other, named_only)
            if len(names) >= MIN_SHARED and _far_apart(view, names):
                _fit(view, other, names, rigid_needed=named_only or not _share_card(view, other))
                return True
        if named_only and any(_share_card(view, other) for other in joined):
            other = next(other for other in joined if _share_card(view, other))
            _fit(view, other, _in_both(view, other, False), rigid_needed=False)
            return True
    return False


def _in_both(view: _Seen, other: _Seen, named_only: bool) -> list[str]:
    names = [name for name in view.shared if name in other.shared]
    return [n for n in names if not (named_only and n not in view.photo.marks.points)]


def _far_apart(view: _Seen, names: list[str]) -> bool:
    places = np.stack([view.shared[name][0] for name in names])
    return bool(np.hypot(*np.ptp(places, axis=0)) > MIN_APART_MM)


def _share_card(view: _Seen, other: _Seen) -> bool:
    cards = all(seen.photo.marks.calibration.kind == "card" for seen in (view, other))
    return cards and not view.photo.underside and not other.photo.underside


def _fit(view: _Seen, other: _Seen, names: list[str], rigid_needed: bool) -> None:
    """Move a photo's plan onto another's, or warn when their shared marks lie apart."""
    if not names:
        return
    mine = np.stack([view.shared[name] for name in names], axis=1)
    theirs = np.stack([other.shared[name] for name in names], axis=1)
    if rigid_needed:
        turn, shift = _rigid(mine, theirs)
        _warn_of_scale(view, mine[0], theirs[0])
        _move(view.scene, view.shared, lambda placed: placed @ turn + shift[:, None])
        return
    off = np.hypot(*(mine[0] - theirs[0]).T)
    if float(np.median(off)) > CARD_MOVED_MM:
        view.warn(
            f"{view.photo.name}: roots marked in both lie {float(np.median(off)):.0f} mm apart; "
            "the card seems to have moved. Mark two points by name in both photos."
        )


def _rigid(mine: Array, theirs: Array) -> tuple[Array, Array]:
    """Least-squares turn (rows, 2, 2) and shift (rows, 2): placed @ turn + shift.

    Source: Kabsch's algorithm, which in the plane is one angle.
    """
    middle, goal = mine.mean(axis=1), theirs.mean(axis=1)
    a, b = mine - middle[:, None], theirs - goal[:, None]
    dot = (a * b).sum((1, 2))
    cross = (a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0]).sum(1)
    angle = np.arctan2(cross, dot)
    cos, sin = np.cos(angle), np.sin(angle)
    turn = np.stack([np.stack([cos, sin], axis=1), np.stack([-sin, cos], axis=1)], axis=1)
    return turn, goal - (middle[:, None] @ turn)[:, 0]


def _warn_of_scale(view: _Seen, mine: Array, theirs: Array) -> None:
    size, other = (float(np.linalg.norm(p - p.mean(axis=0))) for p in (mine, theirs))
    if abs(size / max(other, 1e-9) - 1) > SCALES_DIFFER:
        view.warn(
            f"{view.photo.name}: the points shared with another photo lie "
            f"{abs(size / other - 1) * 100:.0f}% nearer or farther apart than there; check both "
            "calibrations."
        )


def _one_plan(joined: list[_Seen]) -> Scene:
    """The scenes as one: first trunk and flare found, each root from its best photo."""
    ordered = sorted(joined, key=lambda view: view.index)
    base = next(view for view in ordered if view.scene.trunks).scene
    front = next((view.scene for view in ordered if view.scene.front_is_marked), base)
    best: dict[str, PlaneRoot] = {}
    for view in ordered:
        for root in view.scene.roots:
            label = root.mark.label
            # Of a root seen twice the surer sight counts.
            if label not in best or _doubt(root) < _doubt(best[label]):
                best[label] = root
    warnings = [warning for view in ordered for warning in view.scene.quality.warnings]
    flare = next((view.scene.flare for view in ordered if view.scene.flare is not None), None)
    return replace(
        base,
        flare=flare,
        roots=list(best.values()),
        front=front.front,
        flare_on_plane_only=any(view.scene.flare_on_plane_only for view in ordered),
        quality=base.quality.model_copy(update={"warnings": ()}).warned(*warnings),
    )


def _doubt(root: PlaneRoot) -> tuple[bool, float]:
    """How badly a photo shows a root: without a width first, then by the scatter of its base."""
    scatter = np.hypot(*(root.base - root.base[0]).T)
    extent = geometry.arc_lengths(root.path[:1])[0, -1]
    return root.width is None, float(scatter.mean() / max(extent, 1.0) ** 0.5)
