"""Aftercare: what follows a root session and when.

Each task has an anchor: `day` (so many days after the session), `growth` (so many days after the
tree's leaves or shoots) or `season` (a date of the year, such as the last frost). A tree that was
dormant when it was worked waits for its growth: nobody looks for leaves in December. Tasks are
codes and values; `mirvo.text.care` says them.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from mirvo.core.almanac import Species, rules
from mirvo.core.care.placing import Anchor, Wanted, placings
from mirvo.core.rootwork.kinds import opens_ball
from mirvo.core.season import Outlook, Place, frost_day
from mirvo.core.season.growth import Growth, growth_from, warm_from
from mirvo.core.season.weather import FRESH_ROOTS_FLOOR_C, DayWeather, nights_below

GRAFT = "graft"
CareValues = dict[str, bool | float | str | list[str]]


@dataclass(frozen=True)
class CareTask:
    """One thing to do for a tree after its session.

    Attributes
    ----------
    code : what is to be done. step : which of the tasks of its code, the same however days move.
    anchor : what `due` goes by. since : first day of what is kept up until `due`; None for what is
    done on one day. values : what its sentence names. `about` in them: `due` is an estimate.
    """

    due: date
    code: str
    step: str
    anchor: Anchor
    since: date | None = None
    values: CareValues = field(default_factory=dict)


@dataclass(frozen=True)
class Worked:
    """A session as its aftercare sees it.

    Attributes
    ----------
    kind : see `rootwork.KINDS`. strength : strong, fair or weak.
    removed : letters of roots removed flush, whose wounds are followed until they close.
    as_cutting : more went than the tree can bear, so it is looked after like a cutting.
    over_limit : more went than the limit, but no more than the tree can bear.
    crown_reduced : the crown was brought down in the same session. grafted : a root graft was set
    in it.
    """

    done_on: date
    kind: str
    strength: str
    removed: tuple[str, ...] = ()
    as_cutting: bool = False
    over_limit: bool = False
    rot: bool = False
    pests: bool = False
    crown_reduced: bool = False
    grafted: bool = False


@dataclass(frozen=True)
class Surroundings:
    """The tree's year as its aftercare needs it.

    Attributes
    ----------
    leafless : without leaves or needles while it is dormant. frost_until : the usual last frost its
    young roots still have to meet; None under glass and where no frost comes.
    warm_from : nights usually suit a tender tree from this day on; None for hardy ones.
    night_floor_c : of the species. forecast : nights to come, where anybody knows.
    strikes : it strikes from cuttings of its roots.
    """

    growth: Growth
    leafless: bool = False
    frost_until: date | None = None
    warm_from: date | None = None
    night_floor_c: float = 0.0
    forecast: tuple[DayWeather, ...] = ()
    strikes: bool = False


def surroundings(
    species: Species,
    place: Place,
    done_on: date,
    outlook: Outlook,
    shoots_on: date | None = None,
    forecast: Sequence[DayWeather] = (),
) -> Surroundings:
    """What aftercare needs to know of a tree's year after a session of a day."""
    sheltered = place.frost_free or outlook.under_glass
    return Surroundings(
        growth=growth_from(species, place, done_on, outlook, shoots_on),
        leafless=species.leafless_in_winter,
        frost_until=None if sheltered else _frost_after(done_on, place.last_frost),
        warm_from=warm_from(species, place, done_on, outlook),
        night_floor_c=species.night_floor_c,
        forecast=() if sheltered else tuple(forecast),
        strikes=species.root_cuttings,
    )


def _frost_after(done_on: date, last_frost: str) -> date | None:
    """The usual last frost when young roots still have to meet it."""
    # Autumn work looks forward to the frost of the next year.
    for year in (done_on.year, done_on.year + 1):
        frost = frost_day(last_frost, year)
        # Work from late summer on goes into its first winter with young roots.
        if timedelta(0) < frost - done_on <= timedelta(days=rules().care.frost_guard_days):
            return frost
    return None


def aftercare(work: Worked, practice: Mapping[str, str], around: Surroundings) -> list[CareTask]:
    """Tasks after a session, by date. practice : answers of the practice profile."""
    table = rules().care
    days = _Days(work, around)
    # What a kind asks for beside the usual comes from the data, so that a grower can change it.
    tasks = [
        days.task(rule.code, str(rule.days), rule.anchor, rule.days)
        for rule in (
            *table.kinds.get(work.kind, []),
            *(table.kinds[GRAFT] if work.grafted and work.kind != GRAFT else []),
        )
    ]
    if opens_ball(work.kind):
        tasks += _places(work, practice, around)
        tasks += _cold_nights(work, around, tasks)
        tasks += _signs_of_growth(work, practice, days)
        tasks += _looks(work, days)
    else:
        weeks = table.look_weeks
        tasks += [days.look("growth", week, ["photo"]) for week in weeks]
    if work.as_cutting:
        tasks += _for_lost_roots(work, days)
    # Only flush cuts leave a wound that has to close; a shortened root ends in the soil.
    if work.removed:
        values: CareValues = {"roots": list(work.removed)}
        tasks.append(days.task("wound", "1", "growth", table.wound_check_days, values))
    if work.pests:
        tasks += [
            days.task("pest-check", str(after), "day", after) for after in table.pest_look_days
        ]
    return sorted(tasks, key=lambda task: (task.due, task.code, task.step))


@dataclass(frozen=True)
class _Days:
    """Makes tasks at their anchors."""

    work: Worked
    around: Surroundings

    def task(
        self, code: str, step: str, anchor: Anchor, days: int, values: CareValues | None = None
    ) -> CareTask:
        due, waits = self._due(anchor, days)
        said = dict(values or {})
        if waits and not self.around.growth.seen:
            said["about"] = True
        # Of a tree in growth both anchors are the day of the session.
        return CareTask(due, code, step, "growth" if waits else "day", None, said)

    def look(self, anchor: Anchor, week: int, things: list[str]) -> CareTask:
        values: CareValues = {"things": things}
        step = f"{'growth' if anchor == 'growth' else 'day'}-{week}"
        return self.task("look", step, anchor, 7 * week, values)

    def _due(self, anchor: Anchor, days: int) -> tuple[date, bool]:
        """The day of a task, and whether it waits for growth to come."""
        growth, after = self.around.growth, timedelta(days=days)
        if anchor == "growth" and growth.dormant:
            return growth.leaves_on + after, True
        due = self.work.done_on + after
        rests_on, again_on = growth.rests_on, growth.again_on
        if anchor == "growth" and rests_on is not None and again_on is not None and due >= rests_on:
            # It would fall into the rest: what growth shows is looked for in the next one.
            return max(due, again_on + after), True
        return due, False


def shade_days(work: Worked, practice: Mapping[str, str]) -> int:
    """Days of shade: the most that strength, kind of session and practice ask for."""
    table = rules().care
    asked = table.shade_kinds.get(work.kind, 0)
    if work.as_cutting:
        asked = max(asked, table.cutting_shade_days)
    # Full sun at once is for strong trees whose artist works so; a weak one is shaded all the
    # same, and so is a rescued or dug one.
    if practice["after"] == "straight" and work.strength != "weak" and not asked:
        return table.mild_shade_days
    return max(asked, table.shade_days[work.strength])


def _places(work: Worked, practice: Mapping[str, str], around: Surroundings) -> list[CareTask]:
    """One place after the other, with all the needs of the tree in each."""
    table, growth = rules().care, around.growth
    wanted = []
    if around.frost_until is not None:
        wanted.append(Wanted("frost", work.done_on, around.frost_until, "season"))
    if around.warm_from is not None and around.warm_from > work.done_on:
        least = work.done_on + timedelta(days=table.warm_days)
        wanted.append(Wanted("warm", work.done_on, max(least, around.warm_from), "season"))
    # Sun and dry air harm leaves: what has none yet needs no shade before they come.
    waits = growth.dormant and around.leafless
    begin = growth.leaves_on if waits else work.done_on
    anchor: Anchor = "growth" if waits else "day"
    shade = timedelta(days=shade_days(work, practice))
    wanted.append(Wanted("shade", begin, begin + shade, anchor))
    if work.as_cutting or work.kind in table.covered_kinds:
        until = begin + timedelta(days=table.cover_days)
        wanted.append(Wanted("cover", begin, until, anchor))
    stretches = placings(wanted)
    tasks: list[CareTask] = []
    for stretch in stretches:
        values: CareValues = {"needs": list(stretch.needs), "last": stretch is stretches[-1]}
        if "warm" in stretch.needs:
            values["least_c"] = float(around.night_floor_c)
        if stretch.anchor == "growth" and not growth.seen:
            values["about"] = True
        # A name that stays while its days move.
        name = "+".join(stretch.needs)
        again = sum(task.values["needs"] == list(stretch.needs) for task in tasks)
        step = f"{name}-{again + 1}" if again else name
        tasks.append(CareTask(stretch.until, "place", step, stretch.anchor, stretch.since, values))
    return tasks


def _cold_nights(work: Worked, around: Surroundings, placed: Sequence[CareTask]) -> list[CareTask]:
    """Frost that is forecast for fresh roots on nights on which no place guards them yet."""
    fresh = work.done_on + timedelta(days=rules().care.fresh_days)
    # Later nights concern roots that have taken hold.
    near = [night for night in around.forecast if work.done_on <= night.day <= fresh]
    cold = [night for night in nights_below(near, FRESH_ROOTS_FLOOR_C) if not _kept(placed, night)]
    if not cold:
        return []
    lowest = min(night.low_c for night in cold)
    values: CareValues = {"low_c": lowest, "nights": float(len(cold))}
    return [CareTask(cold[0].day, "cold", "1", "day", None, values)]


def _kept(placed: Sequence[CareTask], night: DayWeather) -> bool:
    for task in placed:
        needs = task.values.get("needs")
        guarded = isinstance(needs, list) and ("frost" in needs or "warm" in needs)
        if guarded and task.since is not None and task.since <= night.day <= task.due:
            return True
    return False


def _signs_of_growth(work: Worked, practice: Mapping[str, str], days: _Days) -> list[CareTask]:
    """Buds, shoots, the first feed, ties: all of them wait for growth."""
    table, growth = rules().care, days.around.growth
    tasks = []
    if growth.dormant and not growth.seen:
        due = growth.buds_on + timedelta(days=table.bud_check_days)
        tasks.append(CareTask(due, "buds", "1", "season", None, {"about": True}))
    first = table.shoot_check_days if growth.dormant else table.late_shoot_days
    tasks.append(days.task("shoots", "1", "growth", first))
    # Salt on roots that do not grow burns them, and only shoots show that they grow.
    weak = work.strength == "weak" or work.as_cutting
    feed_on = table.late_shoot_days if weak else table.first_feed_days
    tasks.append(days.task("feed", "1", "growth", feed_on, {"only_with_shoots": weak}))
    if practice["fixing"] == "tied":
        tasks.append(days.task("ties", "1", "growth", table.tie_check_days))
    return tasks


def _looks(work: Worked, days: _Days) -> list[CareTask]:
    """When to look at the tree, and at what: never at leaves it cannot have."""
    table, growth = rules().care, days.around.growth
    closely = (
        work.as_cutting or work.over_limit or work.rot or work.kind in table.closely_watched_kinds
    )
    weeks = {week: ["photo"] for week in table.look_weeks}
    if closely:
        for week in table.close_look_weeks:
            weeks.setdefault(week, [])
    soil = ["smell", "wetness"] if closely else []
    tasks = [
        days.look("growth", week, [*photo, "leaf", "shoots", *soil])
        for week, photo in sorted(weeks.items())
    ]
    if growth.dormant and (closely or not days.around.leafless):
        # Leaves that stay show at once how roots fare; of a bare tree soil and bark tell.
        foliage = ["bark"] if days.around.leafless else ["leaf"]
        near = table.close_look_weeks if closely else table.close_look_weeks[-1:]
        tasks += [
            look
            for week in near
            if (look := days.look("day", week, [*foliage, "smell", "wetness"])).due
            < growth.leaves_on
        ]
    return tasks


def _for_lost_roots(work: Worked, days: _Days) -> list[CareTask]:
    """A tree that lost its roots carries less crown, and a cutting of it is insurance."""
    after = rules().care.crown_days
    tasks = [] if work.crown_reduced else [days.task("crown", "1", "day", after)]
    if days.around.strikes:
        tasks.append(days.task("cuttings", "1", "day", after))
    return tasks
