"""Cuts root by root: what was found, what is decided, what bounds it, and the advice."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol, get_args

from mirvo.core.measure.records import Fault, RootRecord, TopRecord
from mirvo.core.record import Record
from mirvo.core.rootwork.budget import over_budget
from mirvo.core.rootwork.root_path import Point, path_length_mm

Action = Literal["keep", "shorten", "remove", "halve", "bend", "watch"]
Done = Literal["keep", "shorten", "remove"]
Condition = Literal["sound", "weak", "dead"]
Height = Literal["above", "on", "below"]
ACTIONS: tuple[Action, ...] = get_args(Action)
CONDITIONS: tuple[Condition, ...] = get_args(Condition)
HEIGHTS: tuple[Height, ...] = get_args(Height)
# Actions that take feeding root; bending and watching leave it all.
CUTTING = ("shorten", "remove", "halve")
HALF = 0.5


class Reason(Record):
    """Why: a code, a sentence for people, and the figures it rests on."""

    code: str
    sentence: str
    figures: dict[str, float] = {}  # noqa: RUF012  pydantic copies it for every reason


class RootFinding(Record):
    """What was found of one root when it was inspected; None where nothing was noted."""

    feeders: Literal[0, 1, 2, 3] | None = None
    condition: Condition | None = None
    height: Height | None = None
    feeds: tuple[str, ...] | None = None

    @property
    def noted(self) -> dict[str, Any]:
        """Only what was noted, by the names the marks of a root bear."""
        every = {name: getattr(self, name) for name in type(self).model_fields}
        # What was not looked at must not overwrite what the marks say.
        return {name: value for name, value in every.items() if value is not None}


class CutDecision(Record):
    """What the artist decided for a root; `part` is the share of its length that goes."""

    action: Action
    part: float = HALF
    why: str = ""

    @property
    def cost(self) -> float:
        """Share of the root's own feeding share that goes, 0 to 1."""
        # Halving means half of what the root feeds, whatever its length.
        if self.action == "remove":
            return 1.0
        if self.action == "halve":
            return HALF
        return self.part if self.action == "shorten" else 0.0

    @property
    def as_done(self) -> Done:
        """How the record names the cut: halving shortens a root."""
        if self.action in ("shorten", "halve"):
            return "shorten"
        return "remove" if self.action == "remove" else "keep"


@dataclass(frozen=True)
class CaseErrors:
    """Half-widths of the 95 % intervals of a root's azimuth, heading error and base width."""

    azimuth: float = 0.0
    heading: float = 0.0
    width: float = 0.0


@dataclass(frozen=True)
class RootCase:
    """One root as measured and inspected; lengths in mm, path outward from the trunk's edge.

    feeds : names of the stems or branches it feeds.
    """

    label: str
    azimuth_deg: float
    base_width_mm: float | None
    path: tuple[Point, ...]
    faults: tuple[Fault, ...] = ()
    feeders: int | None = None
    condition: str = "sound"
    feeds: tuple[str, ...] = ()
    plus_minus: CaseErrors = field(default_factory=CaseErrors)

    @property
    def width_mm(self) -> float | None:
        return self.base_width_mm

    @property
    def length_mm(self) -> float:
        return path_length_mm(self.path)

    @property
    def alive(self) -> bool:
        # A root without feeders feeds nothing, even where its bark is green.
        return self.condition != "dead" and self.feeders != 0


class FeedingRoot(Protocol):
    """What the feeding share of a root rests on; records and cases both have it."""

    @property
    def label(self) -> str: ...

    @property
    def width_mm(self) -> float | None: ...

    @property
    def feeders(self) -> int | None: ...

    @property
    def condition(self) -> str: ...


@dataclass(frozen=True)
class CutConstraints:
    """What bounds a session: the tree's limit, the target gap, what else is taken.

    budget : the most it may take. sliced, edge : parts taken of the ball, see `session_share`.
    fuses : neighbours are let grow together. waits_on : roots whose fate hangs on another's.
    correction : the tree's own ratio of weighed to computed share, on all that is taken.
    put_off : in how many sessions on end the budget held a root back. planned : what the path
    takes in its next session, by root as part of the whole, of the roots it knows; None without a
    path. grafts_deg : where grafts have been set, azimuth. flare : the design is a flare all round,
    so that gaps count.
    """

    budget: float
    target_gap_deg: float = 90.0
    fine_roots: str = "even"
    sliced: float = 0.0
    edge: float = 0.0
    fuses: bool = False
    waits_on: Mapping[str, str] = field(default_factory=dict)
    correction: float = 1.0
    put_off: Mapping[str, int] = field(default_factory=dict)
    planned: Mapping[str, float] | None = None
    grafts_deg: tuple[float, ...] = ()
    flare: bool = True


@dataclass(frozen=True)
class CutAdvice:
    """What to do with one root. keep_mm : length that stays when it is shortened.

    share : of all feeding root that this root carries. held_back : why what it would want
    is not advised today; then `wanted` names it.
    """

    label: str
    action: Action
    reasons: list[Reason]
    share: float
    keep_mm: float | None = None
    part: float = 0.0
    wanted: Action | None = None
    held_back: list[Reason] = field(default_factory=list)


@dataclass(frozen=True)
class CutReview:
    """Advice for every root, and the share the session takes: as decided, and as advised.

    asks : what should be settled before any root is decided.
    """

    advice: list[CutAdvice]
    share_decided: float
    share_advised: float
    budget: float
    asks: list[Reason] = field(default_factory=list)

    @property
    def over_budget(self) -> float:
        """How far what is decided lies over the budget, 0 where it does not."""
        return over_budget(self.share_decided, self.budget)

    def of(self, label: str) -> CutAdvice | None:
        """The advice for one root, None where it was not reviewed."""
        return next((advised for advised in self.advice if advised.label == label), None)


def cases_of(measured: TopRecord) -> list[RootCase]:
    """The roots of a base as cases for the adviser."""
    return [case_of(root) for root in measured.roots]


def case_of(root: RootRecord) -> RootCase:
    """One measured root as a case for the adviser."""
    width = root.base_width_mm
    return RootCase(
        label=root.label,
        azimuth_deg=root.azimuth_deg.value,
        base_width_mm=root.width_mm,
        path=root.path_mm,
        faults=root.faults,
        feeders=root.feeders,
        condition=root.condition,
        feeds=root.feeds,
        plus_minus=CaseErrors(
            azimuth=root.azimuth_deg.plus_minus,
            heading=root.heading_error_deg.plus_minus,
            width=0.0 if width is None else width.plus_minus,
        ),
    )
