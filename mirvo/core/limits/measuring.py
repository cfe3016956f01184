"""Photos, figures measured by hand, and roots by their letters."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from mirvo.core.lengths import LENGTH
from mirvo.core.limits.base import LengthMm, Limits, PastDay, TreeHeightMm, TrunkMm

PhotoKind = Literal["top", "side", "before", "after", "follow-up", "crown", "wound", "pot", "other"]
PHOTO_KINDS: tuple[PhotoKind, ...] = PhotoKind.__args__  # type: ignore[attr-defined]


class PhotoFields(Limits):
    """What can be said of a photo."""

    taken_on: PastDay
    kind: PhotoKind = "top"


class HandFields(Limits):
    """What was measured by hand on a day; mm, at least one of them.

    spread_mm : across the flare of surface roots, the mean of its longest and shortest way.
    """

    measured_on: PastDay
    trunk_mm: TrunkMm | None = None
    spread_mm: LengthMm | None = None
    height_mm: TreeHeightMm | None = None


class RootFields(Limits):
    """A root of a tree by its letter. height_mm : off the root plane, upward."""

    label: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]
    first_seen_on: PastDay | None = None
    gone_on: PastDay | None = None
    height_mm: Annotated[float, LENGTH, Field(ge=-1000, le=1000, allow_inf_nan=False)] | None = None
