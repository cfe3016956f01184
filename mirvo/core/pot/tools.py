"""Which tools lie ready for a session: by species, kind of session and practice."""

from __future__ import annotations

from functools import cache

from pydantic import BaseModel, ConfigDict

from mirvo.core.almanac import Species
from mirvo.core.almanac.data_files import read_data
from mirvo.core.almanac.practice import Practice, clears_by
from mirvo.core.rootwork.kinds import kind_by_key

# Roots so fine that a concave cutter tears them.
FINE_ROOTED = "azalea-like"
# From this trunk on, and on trees that were dug, roots are met that no cutter closes on.
SAW_FROM_MM = 60.0
DUG = ("dug", "collected", "field")


class _Tool(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)
    name: str
    when: dict[str, tuple[bool | str, ...]] = {}


@cache
def _tools() -> tuple[_Tool, ...]:
    return tuple(_Tool.model_validate(each) for each in read_data("tools.yaml"))


def tools_for(
    species: Species,
    kind: str,
    origin: str,
    age_class: str,
    trunk_mm: float,
    cuts: bool,
    practice: Practice,
) -> tuple[str, ...]:
    """Names of the tools, in the order they are used. cuts : whether roots are to be cut flush."""
    dug = origin.startswith(DUG)
    situation: dict[str, bool | str] = {
        "combs": kind_by_key(kind).combs,
        "fine_roots": species.root_group == FINE_ROOTED,
        "thick": trunk_mm >= SAW_FROM_MM or dug,
        "cuts": cuts,
        "fixing": practice.get("fixing", "tied"),
        "clears": clears_by(practice, species, age_class),
        "thorns": bool(species.caution and "horn" in species.caution),
    }
    return tuple(
        tool.name
        for tool in _tools()
        if all(situation[name] in values for name, values in tool.when.items())
    )
