"""The shelf: pots, and what soil is mixed of."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from mirvo.core.limits.shelf import POT_CONDITIONS
from mirvo.core.pot import SHAPES, Grain, Pot
from mirvo.records.models.base import OWN_NUMBERS, Compostable, Table, one_of, within

# Whatever a row holds, what is reckoned with can be drawn and divided by.
LEAST_MM, MOST_MM = 1.0, 5_000.0
LEAST_GRAIN_MM, MOST_GRAIN_MM = 0.05, 100.0
MOST_KG_PER_L = 5.0


def _between(value: float | None, low: float, high: float) -> float:
    """A kept number within bounds; what is no number counts as the least."""
    return low if value is None or not value > low else min(value, high)


class ShelfPot(Compostable, Table):
    """A pot of the studio; lengths in mm, of its inside. Trees name the pot they stand in."""

    __tablename__ = "pots"
    __table_args__ = (one_of("shape", SHAPES), one_of("condition", POT_CONDITIONS), OWN_NUMBERS)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    shape: Mapped[str] = mapped_column(String(12))
    length_mm: Mapped[float]
    width_mm: Mapped[float]
    depth_mm: Mapped[float]
    # At the floor, where it is narrower there than at the rim.
    floor_length_mm: Mapped[float | None]
    floor_width_mm: Mapped[float | None]
    corner_mm: Mapped[float | None]
    belly_mm: Mapped[float | None]
    rim_in_mm: Mapped[float | None]
    holes: Mapped[int | None]
    feet_mm: Mapped[float | None]
    weight_kg: Mapped[float | None]
    glaze: Mapped[str] = mapped_column(String(80), default="")
    condition: Mapped[str] = mapped_column(String(10), default=POT_CONDITIONS[0])
    place: Mapped[str] = mapped_column(String(80), default="")
    cost: Mapped[str] = mapped_column(String(40), default="")
    note: Mapped[str] = mapped_column(default="")
    # Of its photo, kept beside those of trees.
    photo_digest: Mapped[str] = mapped_column(String(64), default="")
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime]
    updated_at: Mapped[datetime]

    @property
    def inside(self) -> Pot:
        """Its inside as it is reckoned with."""

        def size(value: float | None) -> float:
            return _between(value, LEAST_MM, MOST_MM)

        return Pot(
            self.shape,  # type: ignore[arg-type] # a CHECK holds it to the shapes
            size(self.length_mm),
            size(self.width_mm),
            size(self.depth_mm),
            size(self.floor_length_mm) if self.floor_length_mm else None,
            size(self.floor_width_mm) if self.floor_width_mm else None,
            _between(self.corner_mm, 0.0, MOST_MM),
            size(self.belly_mm) if self.belly_mm else None,
            _between(self.rim_in_mm, 0.0, MOST_MM),
        )


class SoilComponent(Table):
    """One thing soil is mixed of. water, air, loss : shares of its volume, 0 to 1. stock_l : on the
    shelf, None where nobody counts it."""

    __tablename__ = "soil_components"
    __table_args__ = (within("water", 0, 1), within("air", 0, 1), within("loss", 0, 0.99))
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    from_mm: Mapped[float]
    to_mm: Mapped[float]
    kg_per_l: Mapped[float]
    water: Mapped[float]
    air: Mapped[float]
    loss: Mapped[float] = mapped_column(default=0.0)
    ph: Mapped[float | None]
    stock_l: Mapped[float | None]
    cost: Mapped[str] = mapped_column(String(40), default="")
    note: Mapped[str] = mapped_column(String(400), default="")

    @property
    def grain(self) -> Grain:
        """As it is reckoned with."""
        least = _between(self.from_mm, LEAST_GRAIN_MM, MOST_GRAIN_MM)
        return Grain(
            self.name,
            least,
            _between(self.to_mm, least, MOST_GRAIN_MM),
            _between(self.kg_per_l, 0.0, MOST_KG_PER_L),
            self.water,
            self.air,
            self.loss,
        )


class SoilRecipe(Table):
    """A mix by parts of volume. parts : by the number of the component, as text."""

    __tablename__ = "soil_recipes"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    parts: Mapped[dict[str, float]] = mapped_column(default=dict)
    note: Mapped[str] = mapped_column(String(400), default="")


class Supply(Table):
    """Something sessions use up beside soil, and how much lies on the shelf.

    name, unit : as the materials list has them, such as "tie wire 2 mm" in "m".
    """

    __tablename__ = "supplies"
    __table_args__ = (UniqueConstraint("name", "unit"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    unit: Mapped[str] = mapped_column(String(10), default="")
    stock: Mapped[float] = mapped_column(default=0.0)
