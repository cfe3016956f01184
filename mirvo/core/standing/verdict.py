"""Is it time? One verdict for Bench, triage, session and calendar, with reasons for and against.

What kills within weeks comes first; then what the soil asks; then the newcomer's and the
recovering tree's rest; then signs, years, season and strength.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date

from mirvo.core.almanac import rules
from mirvo.core.coded import Coded, coded
from mirvo.core.season import Window
from mirvo.core.standing.signs import (
    ALARMS,
    DELAYS,
    DIAGNOSIS,
    SIGNS,
    URGENT,
    WETNESS,
    Observation,
    StopgapStep,
)
from mirvo.core.standing.standing import Standing

VERDICTS = (
    *("emergency", "change_soil", "repot_now", "repot_next", "open"),
    *("delay", "larger_pot", "rest", "leave"),
)


@dataclass(frozen=True)
class Verdict:
    """What is to be done. kind : one of `VERDICTS`. day : it is for. speaks_for, against : reasons
    of both sides.

    today : what to do today. window : the one the advice is about. on : first day of the window a
    later repot waits for. lesser : steps that only delay. diagnosis : keys of `DIAGNOSIS`, what to
    look at. session : the kind of session to begin, None where none is.
    """

    kind: str
    day: date
    speaks_for: list[Coded]
    against: list[Coded]
    today: list[Coded]
    window: Window
    on: date | None = None
    lesser: list[StopgapStep] = field(default_factory=list)
    diagnosis: list[str] = field(default_factory=list)
    session: str | None = None


def verdict(standing: Standing, seen: Observation) -> Verdict:
    """What all that is known and seen of a tree comes to."""
    return _Judge(standing, seen).decided()


class _Judge:
    """One tree on one day: its reasons, and the verdict they come to."""

    def __init__(self, standing: Standing, seen: Observation) -> None:
        self.tree, self.seen = standing, seen
        self.signs = seen.signs
        self.wet = bool(self.signs & set(WETNESS)) and not standing.water_dish
        self.speaks_for = [self._sign(sign) for sign in SIGNS if sign in self.signs]
        self.against: list[Coded] = []
        self._weigh_what_is_known()

    def _sign(self, sign: str) -> Coded:
        """A sign, with its day where it was not seen today."""
        seen_on = self.tree.signs.get(sign)
        return coded("sign", sign=sign, on=None if seen_on == self.tree.day else seen_on)

    def _has(self, *signs: str) -> bool:
        return any(sign in self.signs for sign in signs)

    def _weigh_what_is_known(self) -> None:
        """What is on record, to the side it speaks for."""
        tree = self.tree
        if tree.water_dish and self.signs & set(WETNESS):
            # It is named all the same, so that nobody wonders why it counted for nothing.
            for sign in WETNESS:
                if sign in self.signs:
                    self.speaks_for.remove(self._sign(sign))
            wet = tuple(sign for sign in WETNESS if sign in self.signs)
            self.against.append(coded("water_dish", signs=wet))
        if self._dries_faster():
            days, usual = self.seen.days_between, self.seen.days_usual
            self.speaks_for.append(coded("dries_faster", days=days, usual=usual))
        side = self.speaks_for if tree.interval.over or tree.due_in_this_window else self.against
        side.append(coded("interval", months=tree.interval.months_since, usual=tree.interval.years))
        if tree.interval.beyond_longest:
            longest = tree.interval.longest_years
            self.speaks_for.append(coded("beyond_longest", years=longest))
        if tree.soil.foreign:
            self.against.append(coded("foreign_soil"))
        if tree.recovering and tree.recovery is not None:
            recovery = tree.recovery
            self.against.append(coded("recovering", until=recovery.until, why=recovery.why))
        if tree.strength.value == "weak":
            self.against.append(coded("weak"))
        if not tree.season.workable:
            start = tree.season.start
            self.against.append(coded("season", state=tree.season.state, start=start))
        planned = tree.interval.planned_year
        if planned is not None and planned > tree.day.year and tree.interval.over:
            self.against.append(coded("planned_later", year=planned))

    def _dries_faster(self) -> bool:
        # Neither lets the drying say anything of the room left for roots.
        if self.tree.water_dish or self.tree.soil.foreign:
            return False
        now, usual = self.seen.days_between, self.seen.days_usual
        if now is None or not usual:
            return False
        return now <= rules().triage.dries_faster_share * usual

    # The order of questions ---------------------------------------------------------

    def decided(self) -> Verdict:
        tree = self.tree
        if tree.dead_on is not None:
            return self._made("leave", "died")
        for question in (
            self._vessels,
            self._bare,
            self._worked_lately,
            self._rot,
            self._broken_pot,
            self._soil_to_change,
            self._alarm,
            self._newcomer,
            self._weak,
            self._due,
            self._twice_a_season,
        ):
            found = question()
            if found is not None:
                return found
        return self._mixed_or_nothing()

    def _bare(self) -> Verdict | None:
        """Stock that is held with bare roots waits for nothing but the pot."""
        if not self.tree.held_bare or self.tree.in_ground:
            return None
        self.speaks_for.append(coded("bare_roots"))
        return self._made("repot_now", "pot_bare", session="first")

    def _vessels(self) -> Verdict | None:
        if not self._has("dark_ring"):
            return None
        return self._made("emergency", "isolate", diagnosis=DIAGNOSIS, session="emergency")

    def _worked_lately(self) -> Verdict | None:
        """A recovering tree is not opened again; its troubles are first asked what caused them."""
        if not self.tree.recovering:
            return None
        troubled = self.wet or self._has(*ALARMS, "soil_decayed", "weak_growth")
        if self._has("pot_broken"):
            return self._broken_pot()
        if self._has("dying_shoots") and self._has("sour_soil", "pest"):
            return None
        today = ["leave_roots"]
        if troubled:
            today = ["nurse"]
            if self.tree.recovery is not None and self.tree.recovery.of_session:
                today = ["ask_last_session", "nurse"]
        diagnosis = DIAGNOSIS if self._has(*ALARMS) else ()
        return self._made("rest", *today, diagnosis=diagnosis)

    def _rot(self) -> Verdict | None:
        cause = self.wet or self._has("sour_soil", "soil_decayed", "pest")
        if not (self._has("dying_shoots") and cause):
            return None
        today = "pests_now" if self._has("pest") and not self.wet else "rot_now"
        return self._made("emergency", today, diagnosis=DIAGNOSIS, session="emergency")

    def _broken_pot(self) -> Verdict | None:
        if not self._has("pot_broken"):
            return None
        ready = self.tree.strength.value != "weak" and not self.tree.recovering
        if ready and self.tree.season.workable and self.tree.interval.over:
            return self._made("repot_now", "pot_broken", session="routine")
        slip = StopgapStep("slip-pot")
        return self._made("delay", "slip_today", lesser=[slip], session="slip-pot")

    def _soil_to_change(self) -> Verdict | None:
        """Weak in wet or decayed soil: the soil goes, the roots stay."""
        bad = self.wet or self._has("soil_decayed", "sour_soil")
        weak = self.tree.strength.value == "weak" or self._has("weak_growth")
        if not (bad and weak):
            return None
        presses = self._has("sour_soil", "dying_shoots") or (self.wet and self._has("soil_decayed"))
        if presses or self.tree.season.workable:
            return self._made("change_soil", "soil_now", session="change-soil")
        window = self.tree.next_window
        return self._made("change_soil", "soil_in_window", on=window.start)

    def _alarm(self) -> Verdict | None:
        """A single alarming sign opens the diagnosis; it is never left alone."""
        if not self._has(*ALARMS):
            return None
        wanted = {"sour_soil": "sour_soil", "pest": "pest", "dying_shoots": "dark_ring"}
        keys = ["root_colour", "injury"]
        keys += [key for sign, key in wanted.items() if sign in self.signs]
        diagnosis = [key for key in DIAGNOSIS if key in keys]
        return self._made("open", "look_first", diagnosis=diagnosis)

    def _newcomer(self) -> Verdict | None:
        """A tree that came lately: the practice decides, in all places alike."""
        tree = self.tree
        if tree.keeps_soil and tree.soil.foreign:
            return self._made("leave", "own_soil")
        if not tree.newcomer or not tree.soil.foreign:
            return None
        if self.seen.newcomer == "settle":
            self.against.append(coded("newcomer_settles"))
            return self._made("leave", "settle")
        self.speaks_for.append(coded("newcomer_at_once"))
        return self._when_workable()

    def _weak(self) -> Verdict | None:
        if self.tree.strength.value != "weak":
            return None
        return self._made("rest", "until_fair")

    def _due(self) -> Verdict | None:
        table, interval = rules().triage, self.tree.interval
        points = self._points()
        by_years = self.tree.due_in_this_window and self.seen.when == "years"
        if not (points >= table.repot_from or by_years or interval.beyond_longest):
            return None
        delayed = self.tree.stage == "showing" and self.tree.delays >= table.max_delays
        if self.tree.season.workable and delayed:
            # A shown tree that is put off again and again is not waiting for a window.
            return self._made("larger_pot", "larger_for_good", session="slip-pot")
        urgent = points >= table.press_from or self._has(*URGENT)
        cannot_wait = points >= table.press_from and self.tree.delays < table.max_delays
        if cannot_wait and not self.tree.season.workable and not self._window_is_near():
            lesser = self._lesser()
            if lesser:
                window = self.tree.season.start
                return self._made("delay", "cannot_wait", on=window, lesser=lesser)
        return self._when_workable(urgent)

    def _window_is_near(self) -> bool:
        """Whether the next window is so near that it is waited for."""
        days = (self.tree.season.start - self.tree.day).days
        return 0 < days <= rules().triage.near_window_days

    def _when_workable(self, urgent: bool = False) -> Verdict:
        """Repot now, or at the window it is due in; what is urgent waits for the very next one."""
        if self.tree.season.workable:
            closing = self.tree.season.state == "closing"
            today = "window_closing" if closing else "window_open"
            return self._made("repot_now", today, session="routine")
        start = self.tree.next_window.start
        if urgent and self.tree.day < self.tree.season.start < start:
            start = self.tree.season.start
        todays = ["prepare"]
        if self.wet or self._has("soil_decayed"):
            todays.append("drain_until_then")
        lesser = [] if self._window_is_near() else self._lesser()
        return self._made("repot_next", *todays, on=start, lesser=lesser)

    def _twice_a_season(self) -> Verdict | None:
        """The strongest growers fill a pot in months; they may be worked again while it is warm."""
        if not self.tree.second_session:
            return None
        if self._has("roots_at_holes", "ball_lifting", "water_stands") or self._dries_faster():
            self.speaks_for.append(coded("filled_pot"))
            return self._made("repot_now", "second_session", session="routine")
        return None

    def _mixed_or_nothing(self) -> Verdict:
        if self._points(without_years=True) >= rules().triage.look_from:
            if self.tree.season.workable:
                return self._made("open", "lift_and_look")
            return self._made("leave", "mixed_signs", on=self.tree.next_window.start)
        nothing = coded("nothing_before", year=self.tree.next_window.year)
        if self.tree.second_session:
            return self._made("leave", nothing, "once_more")
        return self._made("leave", nothing)

    # Parts ------------------------------------------------------------------------------

    def _points(self, without_years: bool = False) -> int:
        """Points of the rules for a repot; wetness counts for nothing in a water dish."""
        table = rules().triage
        void = set(WETNESS) if self.tree.water_dish else set()
        counted = sum(table.points.get(sign, 0) for sign in self.signs - void)
        if self._dries_faster():
            counted += table.points["dries_faster"]
        if self.tree.interval.over and not without_years:
            # How much the years weigh beside the signs is for the practice to say.
            counted += table.interval_points[self.seen.when]
        return counted

    def _lesser(self) -> list[StopgapStep]:
        # A step that is refused stays in sight with its reason.
        delays = self.tree.delays
        refused = delays if delays >= rules().triage.max_delays else None
        return [StopgapStep(kind, refused) for kind, signs in DELAYS.items() if self._has(*signs)]

    def _made(
        self,
        kind: str,
        *today: str | Coded,
        on: date | None = None,
        lesser: Iterable[StopgapStep] = (),
        diagnosis: Iterable[str] = (),
        session: str | None = None,
    ) -> Verdict:
        return Verdict(
            kind,
            self.tree.day,
            _each_once(self.speaks_for),
            _each_once(self.against),
            [coded(one) if isinstance(one, str) else one for one in today],
            self._window(kind, on),
            on,
            list(lesser),
            list(diagnosis),
            # What still stands where it grew is dug, whatever a tree in a pot would be given.
            "collection" if self.tree.in_ground and session is not None else session,
        )

    def _window(self, kind: str, on: date | None) -> Window:
        """The window the advice is about: this season's where work is for it, else the due one."""
        season = self.tree.season
        if kind == "repot_now" or on == season.start:
            return season.window
        return self.tree.next_window


def _each_once(reasons: list[Coded]) -> list[Coded]:
    return [reason for place, reason in enumerate(reasons) if reason not in reasons[:place]]
