"""Species and rules as data with a schema."""

from mirvo.core.almanac.loader import Rules, Species, rules, species, species_by_key

__all__ = ["Rules", "Species", "rules", "species", "species_by_key"]
