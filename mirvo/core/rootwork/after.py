"""Marks as the base will stand after the cuts: roots removed, paths ended at their cut points."""

from __future__ import annotations

from collections.abc import Mapping

from mirvo.core.measure.drafts import TopDraft
from mirvo.core.rootwork.cuts import RootFinding
from mirvo.core.rootwork.root_path import MIN_PART, shortened


def with_findings(marks: TopDraft, findings: Mapping[str, RootFinding]) -> TopDraft:
    """Marks with what was found of each root at the bench: height, feeders, condition, feeds."""
    roots = tuple(
        root.model_copy(update=findings[root.label].noted) if root.label in findings else root
        for root in marks.roots
    )
    return marks.model_copy(update={"roots": roots})


def after_cuts(marks: TopDraft, cuts: Mapping[str, float]) -> TopDraft:
    """Marks after cutting off a part (0 to 1) of the length of some roots; 1 removes a root.

    The cut lies at the same share of the path on the photo as on the plan.
    """
    left = []
    for root in marks.roots:
        part = cuts.get(root.label, 0.0)
        # Without a path no figures can be made of a root, so it leaves the list.
        if part >= 1.0:
            continue
        if part >= MIN_PART:
            path = shortened(root.path, part)
            # The end's width was measured at a tip that is gone.
            root = root.model_copy(update={"path": path, "end_width": None})
        left.append(root)
    return marks.model_copy(update={"roots": tuple(left)})
