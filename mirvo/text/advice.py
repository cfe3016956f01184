"""Advice on a tree: what to do, when, why, and what to look at first."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date
from typing import Any

from mirvo.core.coded import Coded
from mirvo.core.season import Season, Window
from mirvo.core.standing.standing import Standing
from mirvo.core.standing.verdict import Verdict
from mirvo.text.formats import counted, date_range, listed, long_date, month, number, percent

MONTHS_A_YEAR = 12
# Under two years the months tell more.
TOLD_IN_MONTHS = 24
DAYS_A_YEAR = 365

HEADLINES = {
    "emergency": "Emergency: act today",
    "change_soil": "Change the soil, cut no roots",
    "repot_now": "Repot now",
    "repot_next": "Repot in {month}",
    "open": "Lift it and look",
    "delay": "Tide it over",
    "larger_pot": "Give it a larger pot for good",
    "rest": "Let it rest",
    "leave": "Leave it alone",
}
TODAY = {
    "died": "The tree died. Its records stay.",
    "pot_bare": "Pot it as soon as you can. Until then keep its roots in damp sand or a wet cloth, "
    "out of frost, sun and wind, and check them every day.",
    "isolate": "Stop. Move the tree away from the others. Disinfect tools and hands. A dark ring "
    "points to disease in the wood: ask a licensed adviser before you treat it.",
    "leave_roots": "Leave the roots alone until then.",
    "ask_last_session": "First ask what the last session did.",
    "nurse": "Tilt the pot so that it drains, shelter the tree from rain, sun and wind, water less "
    "and mist the leaves. Check it every week.",
    "rot_now": "Shoots are dying and the roots lack air. Whatever the season, take away the wet, "
    "decayed soil today. Touch the roots as little as you can and remove only what is dead.",
    "pests_now": "Shoots are dying and there are pests in the soil. Whatever the season, take the "
    "soil away today. Touch the roots as little as you can and remove only what is dead.",
    "pot_broken": "The pot is broken: repot today.",
    "slip_today": "The pot is broken. Move the tree into a similar or larger pot today, without "
    "touching the roots.",
    "soil_now": "Take away all wet and decayed soil today. Cut no root but what is dead and hardly "
    "any leaf. Then keep it in half shade and check it every week.",
    "soil_in_window": "In its window, or sooner if it gets worse, take away all wet and decayed "
    "soil. Cut no root but what is dead and hardly any leaf.",
    "look_first": "Look before you cut anything: lift the tree far enough to see, smell and press "
    "the soil.",
    "own_soil": "It does well in the soil it came in, so keep it there. Water by weight and touch.",
    "settle": "Let it settle first, and learn how it drinks.",
    "until_fair": "No root work until it is at least fair. Feed it only while it grows.",
    "larger_for_good": "You have put it off twice and it is on show. A larger pot for good is the "
    "honest answer.",
    "cannot_wait": "This cannot wait for its window. Choose a step that helps until then.",
    "window_open": "Its window is open.",
    "window_closing": "Its window closes soon: repot this week.",
    "prepare": "Get its pot, soil and tools ready before then.",
    "drain_until_then": "Until then tilt the pot so that it drains, and keep rain off.",
    "second_session": "It roots so strongly that a second session this season does it good. Comb "
    "the edge and take off the mat, within its limit.",
    "lift_and_look": "The signs are mixed. Lift it and look; if there is still room, cut nothing "
    "and choose a new year.",
    "mixed_signs": "The signs are mixed and this is not its season. Look again when the window "
    "opens.",
    "once_more": "If it fills its pot sooner, you can work it once more this season.",
}
SIGNS = {
    "roots_at_holes": "roots grow out of the holes",
    "ball_lifting": "the root ball lifts out of the pot",
    "water_stands": "water stands on top",
    "soil_decayed": "the soil has broken down",
    "stays_wet": "the root ball stays wet",
    "thick_moss": "thick moss covers the soil",
    "weak_growth": "it grew weakly last season",
    "dying_shoots": "shoots are dying",
    "dark_ring": "a cut branch shows a dark ring",
    "sour_soil": "the soil smells sour",
    "pest": "there are pests in the soil",
    "pot_broken": "the pot is broken",
}
REASONS = {
    "foreign_soil": "it came in this soil, so how fast it dries says little about its roots",
    "weak": "it is too weak for root work",
    "bare_roots": "its roots are bare",
    "newcomer_settles": "you let a newcomer settle for a season",
    "newcomer_at_once": "you repot a newcomer into your own mix at once",
    "filled_pot": "it has filled its pot within the season",
}
RECOVERED = {
    "worked": "",
    "worked_poorly": ", and it recovered poorly",
    "worked_well": ", and it recovered well",
}
DIAGNOSIS = {
    "dark_ring": "Cut a dying branch. A dark ring in the wood means disease: stop, move the tree "
    "away, disinfect, and ask a licensed adviser before you treat it.",
    "sour_soil": "Smell the soil and press it. Sour and wet means the roots lack air: change the "
    "soil, cut nothing that lives.",
    "root_colour": "Look under the root ball. White or tan roots are alive; brown-black, soft ones "
    "are dead. Many dead ones make it an emergency: remove only those.",
    "pest": "Look for grubs and galls. If you find them, wash the soil out and follow the label of "
    "anything you use.",
    "injury": "An injury in plain sight may not be the cause. First ask what killed the roots.",
}
STOPGAPS = {
    "slip-pot": "Into a larger pot, roots untouched. Gives room for a season or two; the old core "
    "stays as it is.",
    "edge-cut": "Run a blade round the wall and fill the gap with fresh soil. Lets water in; the "
    "middle stays old.",
    "base-lift": "Fresh soil underneath. Drains better below; nothing changes inside the ball.",
    "top-up": "Moss off, soil on top. Keeps roots covered; clear it from trunk and flare in half a "
    "year.",
}
# Advice whose window stands beside its heading.
WINDOW_FIRST = ("repot_now", "repot_next")
TOO_SOON = {"edge": "its window is not quite open", "too early": "its window is not open yet"}


def headline(verdict: Verdict) -> str:
    """What to do, in a few words: "Repot in March"."""
    if _potted_bare(verdict):
        return "Pot it now"
    best = verdict.window.best
    when = month(best)
    if (best - verdict.day).days > DAYS_A_YEAR:
        when = f"{when} {best.year}"
    return HEADLINES[verdict.kind].format(month=when)


def what_today(verdict: Verdict) -> str:
    """What to do today, in sentences."""
    return " ".join(_today(one) for one in verdict.today)


def _today(one: Coded) -> str:
    if one.code == "nothing_before":
        return f"It needs no root work before {one.values['year']}."
    return TODAY[one.code]


def window_text(verdict: Verdict) -> str:
    """The window to repot in, "" where the advice is another."""
    # Bare roots wait for no window.
    named = verdict.kind in WINDOW_FIRST and not _potted_bare(verdict)
    return _days(verdict.window) if named else ""


def _potted_bare(verdict: Verdict) -> bool:
    return any(one.code == "pot_bare" for one in verdict.today)


def limits_text(standing: Standing, verdict: Verdict) -> str:
    """What you may remove today, and in the window the advice is about."""
    season, window = standing.season, verdict.window
    most = percent(standing.window_limits.budget)
    # Beside "let it rest" or "act today" a share for today would be a second instruction.
    if verdict.kind not in WINDOW_FIRST:
        return (
            f"In its next window, {_days(window)}, you can remove up to {most} of the fine roots."
        )
    if season.workable:
        return f"Today you can remove up to {percent(standing.limits.budget)} of the fine roots."
    if _potted_bare(verdict):
        return f"Until its window, {_days(window)}, remove only what is dead."
    today = _season_today(season)
    if standing.limits.budget > 0:
        today += f" If you must, remove at most {percent(standing.limits.budget)}."
    return f"{today} In that window you can remove up to {most} of the fine roots."


def _days(window: Window) -> str:
    return date_range(window.start, window.end)


def _season_today(season: Season) -> str:
    if season.state == "too early":
        return "Today is too early."
    if season.state == "edge":
        return "Its window opens soon."
    return "Today is out of season."


def signs_text(signs: Iterable[str]) -> str:
    """Signs seen on a tree, one after the other."""
    return ", ".join(SIGNS[sign] for sign in signs)


def reason_text(reason: Coded) -> str:
    """Why root work should be done or not, without a full stop."""
    maker = MAKERS.get(reason.code)
    return REASONS[reason.code] if maker is None else maker(reason.values)


def refused_text(delays: int) -> str:
    """Why a step that only delays is refused."""
    return f"It was put off {delays} times in a row. A third time only hides what happens below."


def _sign(values: Mapping[str, Any]) -> str:
    seen_on: date | None = values["on"]
    text = SIGNS[values["sign"]]
    return text if seen_on is None else f"{text} (seen {long_date(seen_on)})"


def _water_dish(values: Mapping[str, Any]) -> str:
    signs = listed([SIGNS[sign] for sign in values["signs"]])
    return f"it stands in a water dish, so that {signs} proves nothing"


def _dries_faster(values: Mapping[str, Any]) -> str:
    return f"it needs water every {values['days']:g} days instead of every {values['usual']:g}"


def _interval(values: Mapping[str, Any]) -> str:
    months, usual = values["months"], values["usual"]
    if months is None:
        return "no root session is on record"
    years = months / MONTHS_A_YEAR
    since = counted(round(months), "month") if months < TOLD_IN_MONTHS else f"{number(years)} years"
    every = "year" if usual == 1 else f"{usual:g} years"
    return f"{since} since the last session; usually every {every}"


def _beyond_longest(values: Mapping[str, Any]) -> str:
    return f"no tree of this species should be left longer than {values['years']:g} years"


def _recovering(values: Mapping[str, Any]) -> str:
    return f"it is recovering until {long_date(values['until'])}: {_recovers_from(values['why'])}"


def _recovers_from(why: Coded) -> str:
    if why.code == "few_roots":
        return f"it came on {long_date(why.values['came_on'])} with few roots of its own"
    share, ending = why.values["share"], RECOVERED[why.code]
    removed = "" if share is None else f" and removed {percent(share)} of the fine roots"
    return f"you worked its roots on {long_date(why.values['done_on'])}{removed}{ending}"


def _season(values: Mapping[str, Any]) -> str:
    state = TOO_SOON.get(values["state"], "its window is over")
    return f"{state}; the next opens {long_date(values['start'])}"


def _planned_later(values: Mapping[str, Any]) -> str:
    return f"its path plans the next session for {values['year']}"


MAKERS: dict[str, Callable[[Mapping[str, Any]], str]] = {
    "sign": _sign,
    "water_dish": _water_dish,
    "dries_faster": _dries_faster,
    "interval": _interval,
    "beyond_longest": _beyond_longest,
    "recovering": _recovering,
    "season": _season,
    "planned_later": _planned_later,
}


def recovered_text(factor: float) -> str:
    """What its recoveries make of the most a tree can take. factor : of what is usual.

    >>> recovered_text(1.1)
    'So it can take 10% more than usual.'
    """
    if percent(abs(factor - 1.0)) == "0%":
        return "So it can take what is usual."
    more = "more" if factor > 1.0 else "less"
    return f"So it can take {percent(abs(factor - 1.0))} {more} than usual."
