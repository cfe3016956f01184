"""What a session is recorded from: the entered fields, and what the bench knows beyond them.

Every field of `SessionFields` but `roots` and `measurement_id` is a column of `RootSession` under
its own name; roots become rows of the table of cut decisions.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from mirvo.core.limits.sessions import SessionFields
from mirvo.core.plan.records import PlannedStep
from mirvo.core.rootwork.cuts import CutDecision, RootFinding
from mirvo.records.documents import Answers, BenchNotes, UnfinishedWork

OF_ROOTS = ("roots", "measurement_id")


ENTERED = tuple(name for name in SessionFields.model_fields if name not in OF_ROOTS)


@dataclass(frozen=True)
class BenchDetails:
    """What a session run at the bench knows beyond its form; see the columns of that name."""

    decisions: dict[str, CutDecision] = field(default_factory=dict)
    findings: dict[str, RootFinding] = field(default_factory=dict)
    practice: Answers = field(default_factory=dict)
    exposed_minutes: float | None = None
    notes: BenchNotes = field(default_factory=dict)
    planned: PlannedStep | None = None
    unfinished: tuple[UnfinishedWork, ...] = ()
