"""Pots, soil, and what a session uses up."""

from mirvo.core.pot.fit import Ball, Fit, fit, off_centre, proportions, soil_litres
from mirvo.core.pot.materials import Item, Use, materials, pot_for, summed
from mirvo.core.pot.shapes import SHAPES, Pot, Shape
from mirvo.core.pot.soil import (
    Amount,
    Grain,
    Mix,
    Part,
    WetZone,
    short_of,
    usual_components,
    watering_ratio,
)

__all__ = [
    "SHAPES",
    "Amount",
    "Ball",
    "Fit",
    "Grain",
    "Item",
    "Mix",
    "Part",
    "Pot",
    "Shape",
    "Use",
    "WetZone",
    "fit",
    "materials",
    "off_centre",
    "pot_for",
    "proportions",
    "short_of",
    "soil_litres",
    "summed",
    "usual_components",
    "watering_ratio",
]
