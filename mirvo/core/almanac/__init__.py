"""Species and rules as data with a schema."""

from mirvo.core.almanac.entry import (
    Entry,
    differing,
    figures_of,
    groups,
    on_understock,
    with_own,
)
from mirvo.core.almanac.loader import (
    Rules,
    Species,
    reason_for,
    rules,
    species,
    species_by_key,
)

__all__ = [
    "Entry",
    "Rules",
    "Species",
    "differing",
    "figures_of",
    "groups",
    "on_understock",
    "reason_for",
    "rules",
    "species",
    "species_by_key",
    "with_own",
]
