"""Tasks, how a tree recovered, nights."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from mirvo.core.limits.base import Limits, PastDay, Percent, PlannedDay

TaskText = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
COLDEST_C, WARMEST_C = -60.0, 45.0


class TaskFields(Limits):
    """Something to look at on a day. since : first day of what is kept up until it is due."""

    text: TaskText
    due: PlannedDay
    since: PlannedDay | None = None


class TaskRowFields(TaskFields):
    """A task as it is kept: one that follows a session has a code, and no words of its own."""

    text: TaskText | None = None  # type: ignore[assignment]


class AnswerFields(Limits):
    """What was seen of a tree after a session; only what was looked at is filled in."""

    leaf_lost_percent: Percent | None = None
    shoots_on: PastDay | None = None
    dieback: bool = False
    weak: bool = False


class WeightFields(Limits):
    """A tree in its pot on the scale, g."""

    grams: Annotated[float, Field(ge=1, le=500_000, allow_inf_nan=False)]


class NightFields(Limits):
    """The lowest temperature of one night, °C."""

    day: PastDay
    low_c: Annotated[float, Field(ge=COLDEST_C, le=WARMEST_C, allow_inf_nan=False)]
