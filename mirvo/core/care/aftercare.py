"""Aftercare: what follows a root session and when."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from mirvo.core.almanac import rules
from mirvo.core.season import frost_day
from mirvo.core.season.weather import FRESH_ROOTS_FLOOR_C, DayWeather, degrees, nights_below

LOOK = "leaf lost in percent, new shoots, smell, wetness"


@dataclass(frozen=True)
class CareTask:
    """One thing to do for a tree after its session.

    since : first day of what is kept up until `due`; None for what is done on one day.
    """

    due: date
    code: str
    text: str
    since: date | None = None


def aftercare(
    done_on: date,
    kind: str,
    strength: str,
    practice: Mapping[str, str],
    last_frost: str | None = None,
    cut_roots: Sequence[str] = (),
    night_floor_c: float = 0.0,
    forecast: Iterable[DayWeather] = (),
    as_cutting: bool = False,
) -> list[CareTask]:
    """Tasks after a session, by date.

    Parameters
    ----------
    kind : kind of session, see `rootwork.KINDS`. strength : strong, fair or weak.
    practice : answers of the practice profile (`after`, `fixing`).
    last_frost : usual last frost of the place, MM-DD; the guard ends then.
    cut_roots : letters of roots removed flush, whose wounds are followed until they close.
    night_floor_c : of the species; tender trees are kept above it until buds should move.
    forecast : days to come; the first night too cold for fresh roots is guarded.
    as_cutting : more went than the tree can bear, so it is looked after like a cutting.
    """
    table = rules().care
    # What a kind asks for beside the usual comes from the data, so that a grower can change it.
    tasks = [
        CareTask(done_on + timedelta(days=rule.days), rule.code, rule.say)
        for rule in table.kinds.get(kind, [])
    ]
    tasks += [
        CareTask(done_on + timedelta(weeks=week), "photo", f"Follow-up photo, week {week}")
        for week in table.follow_up_weeks
    ]
    # Only flush cuts leave a wound that has to close; a shortened root ends in the soil.
    if cut_roots:
        named = ", ".join(cut_roots)
        text = f"Wounds of {named}: photograph them; tick when they have closed"
        tasks.append(CareTask(done_on + timedelta(days=table.wound_check_days), "wound", text))
    fresh = done_on + timedelta(days=table.fresh_days)
    # Later nights concern roots that have taken hold.
    near = (night for night in forecast if done_on <= night.day <= fresh)
    cold = nights_below(near, FRESH_ROOTS_FLOOR_C)
    if kind in table.worked_kinds and cold:
        lowest = degrees(min(night.low_c for night in cold))
        text = f"Frost forecast, down to {lowest} °C in {len(cold)} of ten nights: guard it"
        tasks.append(CareTask(cold[0].day, "cold", text))
    if kind in table.worked_kinds and night_floor_c >= table.tender_from_c:
        text = f"Kept above {night_floor_c:g} °C at night until its buds move"
        until = done_on + timedelta(days=table.bud_check_days[0])
        tasks.append(CareTask(until, "warm", text, done_on))
    if kind in table.worked_kinds:
        shade = _shade_days(kind, strength, practice, as_cutting)
        tasks += _after_root_work(done_on, strength, practice, last_frost, shade)
    if as_cutting or kind in table.covered_kinds:
        tasks += _as_a_cutting(done_on, kind)
    return sorted(tasks, key=lambda task: (task.due, task.code))


def _shade_days(kind: str, strength: str, practice: Mapping[str, str], as_cutting: bool) -> int:
    """Days of shade: the most that strength, kind of session and practice ask for."""
    table = rules().care
    asked = table.shade_kinds.get(kind, 0)
    if as_cutting:
        asked = max(asked, table.cutting_shade_days)
    # Full sun at once is for strong trees whose artist works so; a weak one is shaded all the
    # same, and so is a rescued or dug one.
    if practice["after"] == "straight" and strength != "weak" and not asked:
        return table.mild_shade_days
    return max(asked, table.shade_days[strength])


def _as_a_cutting(done_on: date, kind: str) -> list[CareTask]:
    """A humid cover, and a look every week: a tree that lost its roots lives by its air."""
    table = rules().care
    until = done_on + timedelta(days=table.cover_days)
    cover = "Humid cover on, out of the sun; opened a little longer every day once shoots stand"
    weeks = range(1, table.cover_days // 7 + 1)
    watched = {rule.days for rule in table.kinds.get(kind, []) if rule.code == "watch"}
    return [
        CareTask(until, "cover", cover, done_on),
        *(
            CareTask(done_on + timedelta(weeks=week), "watch", f"Week {week}: {LOOK}")
            for week in weeks
            if 7 * week not in watched
        ),
    ]


def _after_root_work(
    done_on: date,
    strength: str,
    practice: Mapping[str, str],
    last_frost: str | None,
    shade: int,
) -> list[CareTask]:
    table = rules().care
    first, second = table.bud_check_days
    feed_on, feed = table.first_feed_days, f"{table.first_feed_days} days after root work"
    if strength == "weak":
        # Salt on roots that do not grow burns them, and only shoots show that they grow.
        feed_on, feed = second, "only if new shoots stand; none before"
    tasks = [
        CareTask(done_on + timedelta(days=shade), "shade", f"Out of the shade after {shade} days"),
        CareTask(done_on + timedelta(days=feed_on), "feed", f"First feed may start, {feed}"),
        CareTask(done_on + timedelta(days=first), "buds", "Buds should be moving: look"),
        CareTask(
            done_on + timedelta(days=second),
            "buds",
            "New shoots? If none yet: shade, a humid cover, less water",
        ),
    ]
    if practice["fixing"] == "tied":
        days = table.tie_check_days
        tasks.append(CareTask(done_on + timedelta(days=days), "ties", "Tie wires: do they bite?"))
    frost = _frost_after(done_on, last_frost)
    if frost is not None:
        tasks.append(CareTask(frost, "frost", "Guarded from frost until today, the usual last one"))
    return tasks


def _frost_after(done_on: date, last_frost: str | None) -> date | None:
    """The usual last frost when young roots still have to meet it."""
    # A frost-free place has no last frost and no guard.
    if last_frost is None:
        return None
    # Autumn work looks forward to the frost of the next year.
    for year in (done_on.year, done_on.year + 1):
        frost = frost_day(last_frost, year)
        # Work from late summer on goes into its first winter with young roots.
        if timedelta(0) < frost - done_on <= timedelta(days=rules().care.frost_guard_days):
            return frost
    return None
