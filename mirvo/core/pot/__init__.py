"""Pots and what a session uses up."""

from mirvo.core.pot.materials import Item, Use, materials, pot_for, summed

__all__ = ["Item", "Use", "materials", "pot_for", "summed"]
