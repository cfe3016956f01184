"""What a root's own state asks for, before limit, feeding and gaps are looked at."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from math import hypot

from mirvo.core.almanac import rules
from mirvo.core.measure.records import Fault
from mirvo.core.rootwork.cut_order import OFF_PLANE, cutting_faults
from mirvo.core.rootwork.cuts import HALF, CutAdvice, CutConstraints, Reason, RootCase
from mirvo.core.rootwork.root_path import along_mm, straight_stretch_mm


def wish_of(
    root: RootCase,
    losing: frozenset[str],
    trunk_mm: float,
    limits: CutConstraints,
    by_label: Mapping[str, RootCase],
    asks: Sequence[Reason],
) -> CutAdvice:
    """What a root's own state asks for, before budget, feeding and gaps are looked at."""
    faults = cutting_faults(root, losing)
    if not faults:
        return _of_lesser_faults(root, trunk_mm)
    fault = faults[0]
    code = fault.code
    reasons = [_reason(fault) for fault in faults]
    # Roots must not go for lying off a plane that may be the wrong one.
    if asks and code in OFF_PLANE and root.alive:
        return CutAdvice(root.label, "watch", [*reasons, *asks], 0.0)
    # A second fault stands whatever the error of the first is, so only a lone one is put off.
    unsure = _within_error(root, fault, by_label)
    if unsure is not None and len(faults) == 1:
        return CutAdvice(root.label, "watch", [*reasons, unsure], 0.0)
    # Neighbours that fuse are what such a studio works towards.
    if code == "crowded" and limits.fuses:
        reason = why("fuses", "your practice lets neighbours fuse into a plate")
        return CutAdvice(root.label, "watch", [*reasons, reason], 0.0)
    if code in ("circling", "looping_back", "crossing"):
        return _led_or_shortened(root, fault, trunk_mm, reasons)
    if code == "oversized" and root.condition == "sound":
        return _weakened(root, trunk_mm, reasons)
    return CutAdvice(root.label, "remove", reasons, 0.0, None, 1.0)


def _weakened(root: RootCase, trunk_mm: float, reasons: list[Reason]) -> CutAdvice:
    """A sound root is never taken off flush for its size alone: it is cut back to a fork."""
    keep = HALF * root.length_mm
    if keep < rules().adviser.min_stub_trunks * trunk_mm:
        return CutAdvice(root.label, "watch", reasons, 0.0)
    reason = why(
        "to_a_fork",
        f"cut it back to a fork about {keep:.0f} mm out; its strength goes in two sessions",
        keep_mm=round(keep, 1),
    )
    return CutAdvice(root.label, "shorten", [*reasons, reason], 0.0, keep, HALF)


def _of_lesser_faults(root: RootCase, trunk_mm: float) -> CutAdvice:
    """A sharp bend is cut past, or led round while it is thin; else the root is kept."""
    kinked = next((fault for fault in root.faults if fault.code == "kinked"), None)
    if kinked is None:
        return CutAdvice(root.label, "keep", [], 0.0)
    return _led_or_shortened(root, kinked, trunk_mm, [_reason(kinked)])


def _led_or_shortened(
    root: RootCase, fault: Fault, trunk_mm: float, reasons: list[Reason]
) -> CutAdvice:
    """Shorten where a straight stretch remains; bend a thin root round; else remove it."""
    limits = rules().adviser
    keep = straight_stretch_mm(root.path)
    # The cut must end before the other root, with room to heal.
    if fault.code == "crossing" and fault.at_mm is not None:
        keep = min(keep, along_mm(root.path, fault.at_mm) - limits.crossing_clear_mm)
    length = root.length_mm
    # A shorter stub would bear no new roots and die back.
    if limits.min_stub_trunks * trunk_mm <= keep < length:
        reason = why(
            "straight_stretch",
            f"the first {keep:.0f} mm run outward and stay",
            keep_mm=round(keep, 1),
        )
        return CutAdvice(root.label, "shorten", [*reasons, reason], 0.0, keep, 1 - keep / length)
    thin = root.base_width_mm is not None and (
        root.base_width_mm <= limits.bendable_trunks * trunk_mm
    )
    # A root that crosses cannot be led aside while the other lies over it.
    if thin and fault.code != "crossing":
        reason = why("thin", f"{root.base_width_mm:.0f} mm thin, it can be led outward and pinned")
        return CutAdvice(root.label, "bend", [*reasons, reason], 0.0)
    # A bend alone does no harm that would be worth a root.
    if fault.code == "kinked":
        return CutAdvice(root.label, "watch", reasons, 0.0)
    return CutAdvice(root.label, "remove", reasons, 0.0, None, 1.0)


SENTENCES = {
    "dead": "it is dead",
    "no_feeders": "it carries no fine roots",
    "above_plane": "it leaves the trunk above the root plane and hides what lies beneath",
    "below_plane": "it goes straight down and does not thicken the flare",
    "circling": "it circles the trunk",
    "looping_back": "it loops back toward the trunk",
    "crossing": "it crosses {with_root} and is the worse of the two",
    "crowded": "it runs in the same direction as {with_root}",
    "oversized": "it is far thicker than the rest and takes the flow from them",
    "kinked": "it is bent sharply",
}
UNITS = {"deg": "°", "%": "%", "mm": " mm", None: ""}


def why(code: str, sentence: str, **figures: float) -> Reason:
    """A reason with the figures it rests on."""
    return Reason(code=code, sentence=sentence, figures=figures)


def _reason(fault: Fault) -> Reason:
    text = SENTENCES[fault.code].format(with_root=fault.with_root or "another")
    if fault.figure is None or fault.threshold is None:
        return why(fault.code, text)
    unit = UNITS[fault.unit]
    text += f" ({fault.figure:.0f}{unit}, limit {fault.threshold:.0f}{unit})"
    return why(fault.code, text, figure=fault.figure, threshold=fault.threshold)


def _within_error(root: RootCase, fault: Fault, by_label: Mapping[str, RootCase]) -> Reason | None:
    """A fault that its own measuring error could undo is watched, not cut for."""
    error = {
        "circling": root.plus_minus.heading,
        "oversized": root.plus_minus.width,
        "crowded": hypot(root.plus_minus.azimuth, _other_error(fault, by_label)),
    }.get(fault.code)
    if error is None or fault.figure is None or fault.threshold is None:
        return None
    if abs(fault.figure - fault.threshold) >= error:
        return None
    return why(
        "within_error",
        f"within measuring error of the limit (±{error:.0f}{UNITS[fault.unit]}): "
        "look again next time",
        plus_minus=round(error, 1),
    )


def _other_error(fault: Fault, by_label: Mapping[str, RootCase]) -> float:
    other = by_label.get(fault.with_root or "")
    return 0.0 if other is None else other.plus_minus.azimuth
