"""Soil: mixes by parts, litres and weights, water held, and how high it stays wet.

What grains hold and how they drain is general guidance; a studio's own figures take its place.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

from mirvo.core.almanac import rules
from mirvo.core.almanac.data_files import read_data

G_PER_KG = 1000


@dataclass(frozen=True)
class Grain:
    """A component. from_mm, to_mm : its sieve. kg_per_l : dry, as poured. water, air : shares of
    its volume once it has drained, 0 to 1. loss : share that falls through the sieve, 0 to 1."""

    name: str
    from_mm: float
    to_mm: float
    kg_per_l: float
    water: float
    air: float
    loss: float = 0.0

    @property
    def mean_mm(self) -> float:
        """Middle of its sieve, mm."""
        return (self.from_mm + self.to_mm) / 2


@cache
def usual_components() -> tuple[tuple[Grain, float], ...]:
    """What soil is mixed of as a rule, each with its pH."""
    return tuple(
        (Grain(**{name: value for name, value in each.items() if name != "ph"}), each["ph"])
        for each in read_data("soil.yaml")
    )


@dataclass(frozen=True)
class Part:
    """So many parts of a component in a mix."""

    grain: Grain
    parts: float


@dataclass(frozen=True)
class Amount:
    """What a mix takes of a component: sieved as it goes in, and to be bought before sieving."""

    name: str
    litres: float
    grams: int
    litres_unsieved: float


@dataclass(frozen=True)
class WetZone:
    """What stays wet over the floor of a pot, mm.

    wet : height that stays wet after draining. dry : what is left above it for roots that want
    air. layer : of coarse grain under the mix.
    """

    depth: float
    layer: float
    wet: float

    @property
    def dry(self) -> float:
        return max(0.0, self.depth - self.layer - self.wet)

    @property
    def all_wet(self) -> bool:
        """Whether the mix stays wet from its floor to its top."""
        return self.dry <= 0.0


@dataclass(frozen=True)
class Mix:
    """A recipe: components by parts of volume."""

    parts: tuple[Part, ...]

    @property
    def whole(self) -> float:
        return sum(part.parts for part in self.parts)

    @property
    def mean_mm(self) -> float:
        """Mean grain, mm, harmonic by volume: the fine grains make the pores."""
        return self.whole / sum(part.parts / part.grain.mean_mm for part in self.parts)

    @property
    def water(self) -> float:
        """Water held after draining, of the volume."""
        return sum(part.parts * part.grain.water for part in self.parts) / self.whole

    @property
    def air(self) -> float:
        """Air space after draining, of the volume."""
        return sum(part.parts * part.grain.air for part in self.parts) / self.whole

    @property
    def kg_per_l(self) -> float:
        """Weight of a litre, dry, as poured."""
        return sum(part.parts * part.grain.kg_per_l for part in self.parts) / self.whole

    def amounts(self, litres: float) -> list[Amount]:
        """Of each component for so many litres of the mix.

        Litres are counted as poured: what settles is counted where the pot is filled. Weights are
        to the gram.
        """
        found = []
        for part in self.parts:
            share = litres * part.parts / self.whole
            grams = round(share * part.grain.kg_per_l * G_PER_KG)
            kept = max(1e-9, 1.0 - part.grain.loss)
            found.append(Amount(part.grain.name, share, grams, share / kept))
        return found

    @property
    def rise_mm(self) -> float:
        """How high water stands in it against its weight, mm.

        Capillary rise goes with one over the pore, and the pore with the grain (Jurin 1718): some
        55 mm over the mean grain in mm, from 45 where much of it is air to 65 where little is.
        """
        table = rules().soil
        void = min(1.0, max(0.0, (self.air - table.air_least) / (table.air_most - table.air_least)))
        constant = table.rise_most + (table.rise_least - table.rise_most) * void
        return constant / self.mean_mm

    def wet_zone(self, depth: float, layer: float = 0.0) -> WetZone:
        """What stays wet in a pot filled so deep, mm.

        Water does not go down into a coarser layer before the mix above it is as wet as it gets, so
        that a layer lifts the wet zone by its own height and leaves less room over it.
        """
        layer = min(max(0.0, layer), depth)
        return WetZone(depth, layer, min(depth - layer, self.rise_mm))


def watering_ratio(old: Mix, old_l: float, new: Mix, new_l: float) -> float | None:
    """Days between waterings in the new soil, of those in the old one; None without any water.

    The same tree in the same weather drinks the same: what changes is what there is to drink.
    """
    held = old.water * old_l
    return None if held <= 0 else new.water * new_l / held


def short_of(stock_l: dict[str, float], wanted: Sequence[Amount]) -> dict[str, float]:
    """Litres missing, by component, of those there is too little of."""
    need: dict[str, float] = {}
    for amount in wanted:
        need[amount.name] = need.get(amount.name, 0.0) + amount.litres_unsieved
    missing = {name: litres - stock_l.get(name, 0.0) for name, litres in need.items()}
    return {name: litres for name, litres in missing.items() if litres > 0.005}
