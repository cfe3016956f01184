"""Is it time? One verdict for Bench, triage, session and calendar, with reasons for and against.

What kills within weeks comes first; then what the soil asks; then the newcomer's and the
recovering tree's rest; then signs, years, season and strength.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import date

from mirvo.core.almanac import rules
from mirvo.core.season import Window
from mirvo.core.standing.signs import (
    ALARMS,
    DELAYS,
    DIAGNOSIS,
    SIGNS,
    URGENT,
    WETNESS,
    Lesser,
    Looked,
)
from mirvo.core.standing.standing import Standing

VERDICTS = {
    "emergency": "Emergency session",
    "change_soil": "Change the soil, cut nothing",
    "repot_now": "Repot now",
    "repot_next": "Repot at the next window",
    "open": "Open and see",
    "delay": "Delay by a lesser step",
    "larger_pot": "Accept a larger pot",
    "rest": "Let it rest",
    "leave": "Leave it",
}


@dataclass(frozen=True)
class Verdict:
    """What is to be done. kind : a key of `VERDICTS`. speaks_for, against : reasons of both sides.

    today : what to do today. window : the one the advice is about. on : first day of the window a
    later repot waits for. lesser : steps that only delay. diagnosis : what to look at, and what
    each finding would mean. session : the kind of session to begin, None where none is.
    """

    kind: str
    speaks_for: list[str]
    against: list[str]
    today: str
    window: Window
    on: date | None = None
    lesser: list[Lesser] = field(default_factory=list)
    diagnosis: list[str] = field(default_factory=list)
    session: str | None = None

    @property
    def name(self) -> str:
        return VERDICTS[self.kind]


def verdict(standing: Standing, seen: Looked) -> Verdict:
    """What all that is known and seen of a tree comes to."""
    return _Judge(standing, seen).decided()


class _Judge:
    """One tree on one day: its reasons, and the verdict they come to."""

    def __init__(self, standing: Standing, seen: Looked) -> None:
        self.tree, self.seen = standing, seen
        self.signs = seen.signs
        self.wet = bool(self.signs & set(WETNESS)) and not standing.water_dish
        self.speaks_for = [self._said(sign) for sign in SIGNS if sign in self.signs]
        self.against: list[str] = []
        self._weigh_what_is_known()

    def _said(self, sign: str) -> str:
        """A sign in words, with its day where it was not seen today."""
        seen_on = self.tree.signs.get(sign)
        if seen_on is None or seen_on == self.tree.day:
            return SIGNS[sign]
        return f"{SIGNS[sign]} (seen {seen_on.day} {seen_on:%B %Y})"

    def _has(self, *signs: str) -> bool:
        return any(sign in self.signs for sign in signs)

    def _weigh_what_is_known(self) -> None:
        """What is on record, to the side it speaks for."""
        tree = self.tree
        if tree.water_dish and self.signs & set(WETNESS):
            # It is named all the same, so that nobody wonders why it counted for nothing.
            for sign in WETNESS:
                if sign in self.signs:
                    self.speaks_for.remove(self._said(sign))
            wet = ", ".join(SIGNS[sign] for sign in WETNESS if sign in self.signs)
            self.against.append(f"it stands in a water dish: that {wet} is no evidence")
        if self._dries_faster():
            self.speaks_for.append(
                f"it wants water every {self.seen.days_between:g} days instead of "
                f"{self.seen.days_usual:g}"
            )
        side = self.speaks_for if tree.interval.over or tree.due_in_this_window else self.against
        side.append(tree.interval.said)
        if tree.interval.beyond_longest:
            longest = tree.interval.longest_years
            self.speaks_for.append(f"no tree of its kind is left longer than {longest:g} years")
        if tree.soil.foreign:
            self.against.append(
                "it stands in foreign soil: its watering rhythm says little of its roots"
            )
        if tree.recovering and tree.recovery is not None:
            until = tree.recovery.until
            self.against.append(f"it recovers until {until.day} {until:%B %Y}: {tree.recovery.why}")
        if tree.strength.value == "weak":
            self.against.append("it is too weak for root work")
        if not tree.season.workable:
            self.against.append(f"its window is {_season_said(tree)}")
        planned = tree.interval.planned_year
        if planned is not None and planned > tree.day.year and tree.interval.over:
            self.against.append(f"its path gives the next session to {planned}")

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
            return self._made("leave", "It has died; its record stays.")
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
        self.speaks_for.append("its roots are bare")
        today = (
            "Pot it as soon as you can. Until then keep its roots in damp sand or wet cloth, out "
            "of frost, sun and wind, and look at them every day."
        )
        return self._made("repot_now", today, session="first")

    def _vessels(self) -> Verdict | None:
        if not self._has("dark_ring"):
            return None
        today = (
            "Stop, isolate the tree, disinfect tools and hands, and ask a licensed adviser before "
            "treating: a dark ring points to disease of its vessels."
        )
        return self._made("emergency", today, diagnosis=DIAGNOSIS.values(), session="emergency")

    def _worked_lately(self) -> Verdict | None:
        """A recovering tree is not opened again; its troubles are first asked what caused them."""
        if not self.tree.recovering:
            return None
        troubled = self.wet or self._has(*ALARMS, "soil_decayed", "weak_growth")
        if self._has("pot_broken"):
            return self._broken_pot()
        if self._has("dying_shoots") and self._has("sour_soil", "pest"):
            return None
        today = "Leave the roots alone until then."
        if troubled:
            today = (
                "Tilt the pot so that it drains, shelter it from rain, sun and wind, water less, "
                "mist the leaf; look again weekly."
            )
            if self.tree.recovery is not None and self.tree.recovery.of_session:
                today = f"Ask first what the last session did. {today}"
        diagnosis = DIAGNOSIS.values() if self._has(*ALARMS) else ()
        return self._made("rest", today, diagnosis=diagnosis)

    def _rot(self) -> Verdict | None:
        cause = self.wet or self._has("sour_soil", "soil_decayed", "pest")
        if not (self._has("dying_shoots") and cause):
            return None
        why = "pests are in it" if self._has("pest") and not self.wet else "its roots lack air"
        today = (
            f"Shoots die and {why}: an emergency session whatever the season. Take the wet, "
            "decayed soil away, touch the roots as little as can be, take only what is dead."
        )
        return self._made("emergency", today, diagnosis=DIAGNOSIS.values(), session="emergency")

    def _broken_pot(self) -> Verdict | None:
        if not self._has("pot_broken"):
            return None
        ready = self.tree.strength.value != "weak" and not self.tree.recovering
        if ready and self.tree.season.workable and self.tree.interval.over:
            return self._made("repot_now", "Repot today: the pot is broken.", session="routine")
        slip = Lesser("slip-pot", DELAYS["slip-pot"][1])
        today = "Into a like or larger pot today, roots untouched: a broken pot cannot wait."
        return self._made("delay", today, lesser=[slip], session="slip-pot")

    def _soil_to_change(self) -> Verdict | None:
        """Weak in wet or decayed soil: the soil goes, the roots stay."""
        bad = self.wet or self._has("soil_decayed", "sour_soil")
        weak = self.tree.strength.value == "weak" or self._has("weak_growth")
        if not (bad and weak):
            return None
        presses = self._has("sour_soil", "dying_shoots") or (self.wet and self._has("soil_decayed"))
        work = (
            "all wet and decayed soil away, no root cut but what is dead, hardly a leaf trimmed; "
            "then half shade, and look weekly"
        )
        if presses or self.tree.season.workable:
            return self._made("change_soil", f"Now: {work}.", session="change-soil")
        window = self.tree.next_window
        return self._made(
            "change_soil", f"At its window, sooner if it gets worse: {work}.", on=window.start
        )

    def _alarm(self) -> Verdict | None:
        """A single alarming sign opens the diagnosis; it is never left alone."""
        if not self._has(*ALARMS):
            return None
        today = "Look before anything is cut: lift it far enough to see, smell and press the soil."
        wanted = {"sour_soil": "sour_soil", "pest": "pest", "dying_shoots": "dark_ring"}
        keys = ["root_colour", "injury"]
        keys += [key for sign, key in wanted.items() if sign in self.signs]
        diagnosis = [DIAGNOSIS[key] for key in DIAGNOSIS if key in keys]
        return self._made("open", today, diagnosis=diagnosis)

    def _newcomer(self) -> Verdict | None:
        """A tree that came lately: the practice decides, in all places alike."""
        tree = self.tree
        if tree.keeps_soil and tree.soil.foreign:
            today = "It is kept in the soil it thrives in; water it by its own weight and touch."
            return self._made("leave", today)
        if not tree.newcomer or not tree.soil.foreign:
            return None
        if self.seen.newcomer == "settle":
            self.against.append("your practice lets a newcomer settle for a season")
            return self._made("leave", "Let it settle; learn how it drinks first.")
        self.speaks_for.append("your practice repots a newcomer into its own mix at once")
        return self._when_workable()

    def _weak(self) -> Verdict | None:
        if self.tree.strength.value != "weak":
            return None
        return self._made(
            "rest", "No root work before it is at least fair; feed it only in growth."
        )

    def _due(self) -> Verdict | None:
        table, interval = rules().triage, self.tree.interval
        points = self._points()
        by_years = self.tree.due_in_this_window and self.seen.when == "years"
        if not (points >= table.repot_from or by_years or interval.beyond_longest):
            return None
        delayed = self.tree.stage == "showing" and self.tree.delays >= table.max_delays
        if self.tree.season.workable and delayed:
            # A shown tree that is put off again and again is not waiting for a window.
            today = "Delayed twice and shown: a larger pot for good is the honest answer."
            return self._made("larger_pot", today, session="slip-pot")
        urgent = points >= table.press_from or self._has(*URGENT)
        cannot_wait = points >= table.press_from and self.tree.delays < table.max_delays
        if cannot_wait and not self.tree.season.workable and not self._window_is_near():
            lesser = self._lesser()
            if lesser:
                window = self.tree.season.start
                today = "This cannot wait for its window. Choose what tides it over until then."
                return self._made("delay", today, on=window, lesser=lesser)
        return self._when_workable(urgent)

    def _window_is_near(self) -> bool:
        """Whether the next window is so near that it is waited for."""
        days = (self.tree.season.start - self.tree.day).days
        return 0 < days <= rules().triage.near_window_days

    def _when_workable(self, urgent: bool = False) -> Verdict:
        """Repot now, or at the window it is due in; what is urgent waits for the very next one."""
        if self.tree.season.workable:
            closing = self.tree.season.state == "closing"
            today = "Its window closes soon: repot this week." if closing else "Its window is open."
            return self._made("repot_now", today, session="routine")
        start = self.tree.next_window.start
        if urgent and self.tree.day < self.tree.season.start < start:
            start = self.tree.season.start
        today = f"Prepare: its window opens about {start.day} {start:%B %Y}."
        if self.wet or self._has("soil_decayed"):
            today += " Until then tilt the pot so that it drains, and keep rain off."
        lesser = [] if self._window_is_near() else self._lesser()
        return self._made("repot_next", today, on=start, lesser=lesser)

    def _twice_a_season(self) -> Verdict | None:
        """The strongest growers fill a pot in months; they may be worked again while it is warm."""
        if not self.tree.second_session:
            return None
        if self._has("roots_at_holes", "ball_lifting", "water_stands") or self._dries_faster():
            self.speaks_for.append("it has filled its pot within the season")
            today = (
                "It roots so strongly that a second session this season does it good. Comb the "
                "edge and take the mat, no more than its limit."
            )
            return self._made("repot_now", today, session="routine")
        return None

    def _mixed_or_nothing(self) -> Verdict:
        if self._points(without_years=True) >= rules().triage.look_from:
            if self.tree.season.workable:
                today = (
                    "Signs are mixed: lift it and look; with room left, cut nothing and set a new "
                    "year."
                )
                return self._made("open", today)
            today = "Signs are mixed and it is not its season: look again when the window opens."
            return self._made("leave", today, on=self.tree.next_window.start)
        year = self.tree.next_window.year
        today = f"Nothing asks for root work before {year}."
        if self.tree.second_session:
            today += " If it fills its pot sooner, it may be worked once more this season."
        return self._made("leave", today)

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

    def _lesser(self) -> list[Lesser]:
        refused = None
        # The lesser work stays in sight with its refusal, so that the reason is read.
        if self.tree.delays >= rules().triage.max_delays:
            refused = (
                f"it was delayed {self.tree.delays} times in a row; a third only hides what "
                "happens in the ball"
            )
        return [
            Lesser(kind, sentence, refused)
            for kind, (signs, sentence) in DELAYS.items()
            if self._has(*signs)
        ]

    def _made(
        self,
        kind: str,
        today: str,
        on: date | None = None,
        lesser: Iterable[Lesser] = (),
        diagnosis: Iterable[str] = (),
        session: str | None = None,
    ) -> Verdict:
        return Verdict(
            kind,
            list(dict.fromkeys(self.speaks_for)),
            list(dict.fromkeys(self.against)),
            today,
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


def _season_said(tree: Standing) -> str:
    season = tree.season
    stands = {"edge": "at its edge", "too early": "not open yet"}.get(season.state, "over")
    return f"{stands}, the next from {season.start.day} {season.start:%B %Y}"
