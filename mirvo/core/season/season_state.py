"""The season rule: whether a tree may be worked on a day, by its buds and the calendar."""

from __future__ import annotations

from datetime import date, timedelta

from mirvo.core.almanac import Species, rules
from mirvo.core.season.window import year_window

OPEN, EDGE, SHUT = "open", "edge", "shut"
BUDS_THAT_OPEN = ("buds swelling", "buds opening")


def season_state(
    species: Species,
    last_frost: str,
    day: date,
    bud_stage: str = "",
    under_glass: bool = False,
    dormant_work: str = "swelling",
) -> str:
    """open, edge or shut; what the artist saw on the buds beats the calendar.

    Parameters
    ----------
    last_frost : usual last frost of the place, MM-DD. bud_stage : as seen that day, or "".
    dormant_work : the practice's answer; "swelling" does not begin before the buds swell.
    """
    table = rules().season
    worked_dormant = species.group in table.worked_dormant
    if worked_dormant and bud_stage in BUDS_THAT_OPEN:
        # Buds are the tree's own word; a calendar only guesses at it.
        return OPEN
    start, end, _ = year_window(species, last_frost, day.year)
    if under_glass:
        # Glass brings spring forward; its end comes as outside, with the heat.
        start -= timedelta(weeks=table.under_glass_weeks)
    if start <= day <= end:
        return OPEN
    early = day < start
    away = (start - day).days if early else (day - end).days
    if early and worked_dormant and dormant_work == "swelling":
        # This practice waits for swelling buds, so before the window there is no edge.
        return SHUT
    return EDGE if away <= table.edge_days else SHUT
