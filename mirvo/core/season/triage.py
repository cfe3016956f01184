"""Is it time? From what is seen of a tree to a verdict, with reasons and lesser steps."""

from __future__ import annotations

from dataclasses import dataclass, field, fields

from mirvo.core.almanac import rules

VERDICTS = {
    "emergency": "Emergency session",
    "repot": "Repot",
    "repot_next": "Repot next season",
    "open": "Open and see",
    "delay": "Delay by a lesser step",
    "larger_pot": "Accept a larger pot",
    "leave": "Leave it",
}
SEEN = {
    "roots_at_holes": "roots come out of the holes",
    "ball_lifting": "the ball lifts out of the pot",
    "water_stands": "water stands on top",
    "soil_decayed": "the soil has decayed",
    "stays_wet": "the ball stays wet",
    "thick_moss": "thick moss covers the soil",
    "weak_growth": "it grew weakly last season",
}
DELAYS = {
    "slip-pot": (
        ("roots_at_holes", "ball_lifting"),
        "into a larger pot, roots untouched: room for a season or two, the old core stays as it is",
    ),
    "edge-cut": (
        ("water_stands", "stays_wet"),
        "a blade round the wall and fresh soil in the gap: lets water in, the middle stays old",
    ),
    "base-lift": (
        ("soil_decayed",),
        "fresh soil underneath: better drainage below, nothing changes in the ball",
    ),
    "top-up": (
        ("thick_moss",),
        "moss off, soil on top: keeps roots covered; clear it from trunk and flare in half a year",
    ),
}


@dataclass(frozen=True)
class Evidence:
    """What is seen of a tree and known of it.

    years_since : since the last full session; None when unknown. interval_years : usual for
    it. days_between, days_usual : between waterings now and usually, None when not known.
    window : too early, open or closing. delays : lesser steps in a row since the last full
    session. when : years or evidence, as the practice has it.
    """

    years_since: float | None
    interval_years: float
    window: str
    strength: str
    stage: str = "growing"
    when: str = "years"
    delays: int = 0
    days_between: float | None = None
    days_usual: float | None = None
    water_dish: bool = False
    foreign_soil: bool = False
    roots_at_holes: bool = False
    ball_lifting: bool = False
    water_stands: bool = False
    soil_decayed: bool = False
    stays_wet: bool = False
    thick_moss: bool = False
    weak_growth: bool = False
    dying_shoots: bool = False
    dark_ring: bool = False
    sour_soil: bool = False
    pest: bool = False
    pot_broken: bool = False


@dataclass(frozen=True)
class Lesser:
    """A step that only delays: its kind, what it does and its limit, or why it is refused."""

    kind: str
    sentence: str
    refused: str | None = None


@dataclass(frozen=True)
class Triage:
    """A verdict with its reasons, points that speak for a repot, and lesser steps."""

    verdict: str
    reasons: list[str]
    points: int
    lesser: list[Lesser] = field(default_factory=list)

    @property
    def name(self) -> str:
        return VERDICTS[self.verdict]


TOGGLES = tuple(sign.name for sign in fields(Evidence) if sign.type == "bool")


def triage(seen: Evidence) -> Triage:
    """What the evidence comes to.

    Emergencies first; then points of the rules, the season and the tree's strength. Wetness
    and drying are no evidence while it stands in a water dish.
    """
    # What kills within weeks does not wait for a season or a sum of points.
    alarm = _emergency(seen)
    if alarm:
        return Triage("emergency", alarm, 0)
    reasons, points = _points(seen)
    table = rules().triage
    # A broken pot cannot wait, but it is no reason to cut roots out of season.
    if seen.pot_broken:
        verdict = "repot" if _may_work(seen) else "delay"
        advice = (
            "the pot is broken"
            if _may_work(seen)
            else ("the pot is broken: into a like or larger one now, roots untouched")
        )
        return Triage(verdict, [advice, *reasons], points, _lesser(seen, force="slip-pot"))
    if points >= table.repot_from:
        return _due(seen, reasons, points)
    # Mixed signs are settled by looking, not by cutting to be safe.
    if points >= table.look_from:
        verdict = "open" if _may_work(seen) else "leave"
        advice = "signs are mixed: lift it and look; with room left, cut nothing and set a new year"
        if verdict == "leave":
            advice = "signs are mixed and it is not its season: look again when the window opens"
        return Triage(verdict, [*reasons, advice], points)
    return Triage("leave", reasons or ["nothing speaks for a repot"], points)


def _emergency(seen: Evidence) -> list[str]:
    if seen.dark_ring:
        return [
            "a dark ring in a cut branch points to disease of its vessels: stop, isolate the tree, "
            "disinfect tools and hands, and ask a licensed adviser before treating"
        ]
    # In a water dish every soil stays wet, however sound the roots are.
    wet = seen.sour_soil or (seen.stays_wet and not seen.water_dish)
    if seen.dying_shoots and (wet or seen.soil_decayed or seen.pest):
        cause = "pests are in it" if seen.pest and not wet else "its roots are short of air"
        return [
            f"shoots die and {cause}: take only what is dead, whatever the season",
            "rot follows death: ask what killed the roots first; an injury in plain sight may not "
            "be the cause",
        ]
    return []


def _points(seen: Evidence) -> tuple[list[str], int]:
    table = rules().triage
    reasons, points = [], 0
    for key, sentence in SEEN.items():
        if not getattr(seen, key):
            continue
        # It is named all the same, so that nobody wonders why it counted for nothing.
        if key == "stays_wet" and seen.water_dish:
            reasons.append("it stands in a water dish: wetness is no evidence")
            continue
        reasons.append(sentence)
        points += table.points[key]
    if _dries_faster(seen):
        reasons.append(
            f"it wants water every {seen.days_between:g} days instead of {seen.days_usual:g}"
        )
        points += table.points["dries_faster"]
    # Foreign soil holds water its own way: the rhythm is told, not weighed.
    if seen.foreign_soil:
        reasons.append("it stands in foreign soil: its watering rhythm says little of its roots")
    if seen.years_since is not None:
        # How much the years weigh beside the signs is for the practice to say.
        over = seen.years_since >= seen.interval_years
        after = (
            f"{seen.years_since:.0f} years since the last session, usual {seen.interval_years:g}"
        )
        reasons.append(after)
        points += table.interval_points[seen.when] if over else 0
    return reasons, points


def _dries_faster(seen: Evidence) -> bool:
    # Neither lets the drying say anything of the room left for roots.
    if seen.water_dish or seen.foreign_soil:
        return False
    if seen.days_between is None or not seen.days_usual:
        return False
    # Against this tree's own rhythm: trees differ more than seasons do.
    return seen.days_between <= rules().triage.dries_faster_share * seen.days_usual


def _may_work(seen: Evidence) -> bool:
    # A weak tree in an open window still does not bear cuts.
    return seen.window in ("open", "closing") and seen.strength != "weak"


def _due(seen: Evidence, reasons: list[str], points: int) -> Triage:
    """A repot is due: now, next season, or put off."""
    table = rules().triage
    if _may_work(seen):
        # A shown tree that is put off again and again is not waiting for a window.
        if seen.stage == "showing" and seen.delays >= table.max_delays:
            advice = "it was delayed twice and is shown: a larger pot for good is the honest answer"
            return Triage("larger_pot", [*reasons, advice], points)
        return Triage("repot", reasons, points)
    # Strength is named first: it is the reason that waiting for spring does not remove.
    why = "it is too weak for root work" if seen.strength == "weak" else "its window is shut"
    if points >= table.press_from and seen.delays < table.max_delays:
        return Triage("delay", [*reasons, f"{why}, and it presses"], points, _lesser(seen))
    return Triage("repot_next", [*reasons, why], points, _lesser(seen))


def _lesser(seen: Evidence, force: str | None = None) -> list[Lesser]:
    refused = None
    # The lesser work stays in sight with its refusal, so that the reason is read.
    if seen.delays >= rules().triage.max_delays:
        refused = (
            f"it was delayed {seen.delays} times in a row; a third only hides what happens in the "
            "ball"
        )
    return [
        Lesser(kind, sentence, refused)
        for kind, (signs, sentence) in DELAYS.items()
        if kind == force or any(getattr(seen, sign) for sign in signs)
    ]
