"""What one session uses up, and what a season's sessions use up together."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from math import ceil, floor, pi

from mirvo.core.almanac import rules
from mirvo.core.pot.fit import Ball, soil_litres
from mirvo.core.pot.shapes import Pot
from mirvo.core.rootwork.bench import GUYED_FROM_MM, STAKED_FROM_MM

MM3_PER_LITRE = 1e6
MM2_PER_DM2 = 1e4
MM_PER_CM, MM_PER_M = 10.0, 1e3
# Three hold against wind from every side; two let the tree swing.
GUYS = 3


@dataclass(frozen=True)
class Use:
    """A session as far as it uses things up; lengths in mm.

    ball : after the cuts. holes : in the pot's floor, None where nobody counted them. roots_cut :
    roots taken off flush. practice : answers of the practice profile (`fixing`, `wounds`).
    """

    container: str
    pot: Pot
    ball: Ball
    trunk_mm: float
    holes: int | None = None
    height_mm: float | None = None
    roots_cut: int = 0
    grafts: int = 0
    layer: bool = False
    practice: Mapping[str, str] | None = None


@dataclass(frozen=True)
class Item:
    """An amount of something; `unit` is empty where pieces are counted."""

    name: str
    amount: float
    unit: str


def materials(use: Use) -> list[Item]:
    """What to have at hand for a session.

    Soil and moss are rounded up to tenths, wire to decimetres.
    """
    table, practice = rules().materials, use.practice or {}
    length, width = use.pot.length, use.pot.width
    holes = use.holes if use.holes is not None else max(1, ceil(length / table.hole_every_mm))
    found = [Item("soil", _up(soil_litres(use.pot, use.ball), 1), "l")]
    if holes:
        found.append(Item("mesh over the holes", holes, ""))
        if practice.get("fixing", "tied") == "tied":
            clips = holes * table.clip_wire_mm / MM_PER_M
            found.append(Item("wire for mesh clips, 1 mm", _up(clips, 1), "m"))
    top = use.pot.plan_share * length * width
    found.append(Item("moss for the top", _up(top / MM2_PER_DM2, 1), "dm²"))
    if practice.get("fixing", "tied") == "tied":
        found += _ties(use)
    else:
        found.append(Item("stones to wedge it", table.wedge_stones, ""))
    if practice.get("drainage") == "coarse":
        litres = top * table.coarse_layer_mm / MM3_PER_LITRE
        found.append(Item("coarse grains", _up(litres, 1), "l"))
    if use.container == "board in a wide pot":
        # The gap all round lets roots grow over the board's edge and down. In cm, as it is bought.
        along, across = (
            max(0, floor((side - 2 * table.board_gap_mm) / MM_PER_CM)) for side in (length, width)
        )
        found.append(Item(f"board {along} x {across} cm", 1, ""))
    if use.roots_cut and practice.get("wounds", "sealed") == "sealed":
        found.append(Item("wound sealant, cuts", use.roots_cut, ""))
    if use.grafts:
        found.append(Item("young plant to graft in", use.grafts, ""))
        found.append(Item("grafting nails", use.grafts * table.nails_per_graft, ""))
    if use.layer:
        around = pi * use.trunk_mm * table.layer_turns / MM_PER_M
        found += [
            Item("layer wire", _up(around, 1), "m"),
            # A cube of two trunks: one trunk of packing on every side.
            Item("moist packing", _up((2 * use.trunk_mm) ** 3 / MM3_PER_LITRE, 1), "l"),
        ]
    height = use.height_mm or 0.0
    # The same limits as the advice at the bench, so that no list names what nobody was told.
    if STAKED_FROM_MM <= height < GUYED_FROM_MM:
        found.append(Item("padded stake", 1, ""))
    elif height >= GUYED_FROM_MM:
        found.append(Item("guy line", _up(GUYS * height / MM_PER_M, 1), "m"))
    return found


def _ties(use: Use) -> list[Item]:
    """Two paired wires over the ball, and tube where they would mark a root that shows."""
    table = rules().materials
    gauge = next(
        (wire.gauge_mm for wire in table.tie_wire if use.trunk_mm <= wire.trunk_to_mm),
        table.tie_wire[-1].gauge_mm,
    )
    over = use.pot.length + 2 * use.pot.depth + table.tie_ends_mm
    wire = table.ties * over / MM_PER_M
    return [
        Item(f"tie wire {gauge:g} mm", _up(wire, 1), "m"),
        Item("soft tube over roots", 2 * table.ties, ""),
    ]


def _up(value: float, digits: int) -> float:
    """Rounded up to so many digits."""
    step = 10.0**digits
    # A hair less before rounding up, so that 2.0000001 l is not 2.1 l.
    return ceil(value * step - 1e-9) / step


def pot_for(
    container: str,
    now: Pot,
    trunk_mm: float,
    ball_mm: float,
    target_depth_mm: float,
    stays: bool,
) -> Pot:
    """The inside of a container still to be chosen.

    The pot it stands in when it stays; else by the trunk's diameter and the ball's depth,
    and the target's depth for the final pot. Guidance, to be replaced by a pot at hand.
    """
    # A pot that is known beats any rule of thumb.
    if stays:
        return now
    table = rules().materials
    length = max(
        now.length if container != "final pot" else 0.0, table.trunks_long[container] * trunk_mm
    )
    clearance = rules().plan.soil_layer_mm + rules().plan.rim_clearance_mm
    depth = target_depth_mm if container == "final pot" else ball_mm + clearance
    return Pot("rectangle", length, table.width_share * length, depth)


def summed(lists: Iterable[Iterable[Item]]) -> list[Item]:
    """The same things added up, by name."""
    total: dict[tuple[str, str], float] = {}
    for items in lists:
        for item in items:
            key = (item.name, item.unit)
            total[key] = total.get(key, 0.0) + item.amount
    # By name, so that the shopping list reads the same each time.
    return [Item(name, round(amount, 1), unit) for (name, unit), amount in sorted(total.items())]
