"""Marks as the base will stand after the cuts: roots removed, paths ended at their cut points."""

from __future__ import annotations

from collections.abc import Mapping
from math import hypot
from typing import Any

SEEN = ("height", "feeders", "condition", "feeds")
LEAST_PART = 1e-6


def with_findings(marks: dict[str, Any], seen: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
    """Marks with what was found of each root at the bench: height, feeders, condition, feeds."""
    roots = [
        {**root, **{key: seen[root["label"]][key] for key in SEEN if key in seen[root["label"]]}}
        if root.get("label") in seen
        else root
        for root in marks["roots"]
    ]
    return {**marks, "roots": roots}


def after_cuts(marks: dict[str, Any], cuts: Mapping[str, float]) -> dict[str, Any]:
    """Marks after cutting off a part (0 to 1) of the length of some roots; 1 removes a root.

    The cut lies at the same share of the path on the photo as on the plan.
    """
    left = []
    for root in marks["roots"]:
        part = cuts.get(root.get("label"), 0.0)
        if part >= 1.0:
            continue
        left.append(root if part < LEAST_PART else _shortened(root, part))
    return {**marks, "roots": left}


def _shortened(root: dict[str, Any], part: float) -> dict[str, Any]:
    path = root["path"]
    legs = [hypot(b[0] - a[0], b[1] - a[1]) for a, b in zip(path, path[1:], strict=False)]
    room = sum(legs) * (1.0 - part)
    kept = [path[0]]
    for (a, b), leg in zip(zip(path, path[1:], strict=False), legs, strict=True):
        if leg >= room:
            share = room / leg if leg else 0.0
            kept.append([a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])])
            break
        kept.append(b)
        room -= leg
    return {**root, "path": kept, "end_width": None}
