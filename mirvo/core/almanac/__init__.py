"""Species and rules as data with a schema."""

from mirvo.core.almanac.entry import (
    Entry,
    differing,
    figures_of,
    groups,
    on_understock,
    with_own,
)
from mirvo.core.almanac.loader import USUAL_CONTAINER, Rules, rules
from mirvo.core.almanac.reasons import reason_for
from mirvo.core.almanac.species import Species, species, species_by_key

__all__ = [
    "USUAL_CONTAINER",
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
