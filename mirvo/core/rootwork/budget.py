"""The removal budget: how much feeding root one session may take, and what cuts cost."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from math import prod
from statistics import median

from mirvo.core.almanac import Species, rules
from mirvo.core.almanac.practice import Practice
from mirvo.core.errors import BadInput
from mirvo.core.rootwork.kinds import KINDS, kind_by_key

# Shares come as sums of floats; a hundredth of a percent is no cut.
ROUNDING = 1e-4


@dataclass(frozen=True)
class BudgetedTree:
    """What the budget asks of a tree.

    rooted_on : the day it was dug, separated or came, whichever cut its root to what it has; None
    where nobody knows, and while it still grows in the ground. bearing_factor : what its own
    answers make of it.
    """

    strength: str
    age_class: str
    origin: str
    rooted_on: date | None
    worth: str
    bearing_factor: float = 1.0


@dataclass(frozen=True)
class Ball:
    """Size of a root ball, mm; the depth counts below the root plane."""

    length_mm: float
    width_mm: float
    depth_mm: float


def removal_budget(
    base: float,
    strength: str,
    age: str,
    season: str = "open",
    origin_factor: float = 1.0,
    worth: float = 1.0,
    top_reduction: float = 1.0,
) -> float:
    """Share of the feeding root one session may take, 0 to 0.85.

    Parameters
    ----------
    base : share by species and school. origin_factor : 0.7 within two years of
    collection or separation. worth : the artist's ceiling. top_reduction : 1 to 1.2.

    >>> round(removal_budget(0.45, "fair", "mature"), 3)
    0.287
    """
    table = rules().budget
    for name, value, known in (
        ("strength", strength, table.strength),
        ("age", age, table.age),
        ("season", season, table.season),
    ):
        if value not in known:
            raise BadInput(name, f"'{value}' is not one of {', '.join(known)}")
    share = base * table.strength[strength] * table.age[age] * table.season[season]
    return min(share * origin_factor * worth * top_reduction, table.max_budget)


@dataclass(frozen=True)
class SessionLimits:
    """What one session is held against, as shares of the feeding root.

    budget : the limit of school, season and artist. bearing : the most the tree could bear,
    whatever the school and the season; a kind with a rule of its own is borne as far as that goes.
    usual_edge : what combing and trimming the edge takes where it is not
    measured.
    """

    budget: float
    bearing: float
    usual_edge: float
    season: str = "open"


def session_limits(
    tree: BudgetedTree,
    species: Species,
    practice: Practice,
    season: str,
    day: date | None = None,
    top_reduced: float = 0.0,
    kind: str = "routine",
) -> SessionLimits:
    """Budget, bearing and usual edge of a tree for a session; a kind may have its own budget.

    Parameters
    ----------
    season : open, edge or shut, see `season_state`. day : of the session; None leaves the
    tree's origin out. top_reduced : how much of the crown goes with it, %.
    """
    of_kind = kind_by_key(kind)
    origin = origin_factor(tree.origin, tree.rooted_on, day)
    together = practice["operations"] == "together" and species.top_work_together

    def limit(school: str, season: str = season, **factors: float) -> float:
        base = species.budget.of(school) * tree.bearing_factor
        return removal_budget(
            base, tree.strength, tree.age_class, season, origin_factor=origin, **factors
        )

    matched = matched_top_factor(top_reduced, together)
    own = limit(practice["budget"], worth=rules().worth(tree.worth), top_reduction=matched)
    # The edge is combed in any season a session is made in, so the season plays no part in it.
    edge = edge_share(limit("gentle", "open")) if of_kind.combs else 0.0
    budget = own if of_kind.own_budget is None else of_kind.own_budget
    # The season is a risk of its own, said beside it: it sets the limit, not what the tree bears.
    bearing = max(limit("bold", "open", top_reduction=matched), of_kind.own_budget or 0.0)
    return SessionLimits(budget, bearing, edge, season)


def edge_share(gentle_budget: float) -> float:
    """What combing and trimming the edge of a ball takes, whatever else is done, 0 to 0.1.

    gentle_budget : of this tree, so that a weak one is combed less.
    """
    table = rules().feeding
    return min(table.edge_share, table.edge_of_gentle * gentle_budget)


def origin_factor(origin: str, rooted_on: date | None, day: date | None) -> float:
    """0.7 within two years of collection or separation, else 1.

    >>> origin_factor("dug from a garden", date(2025, 3, 1), date(2026, 3, 1))
    0.7
    """
    table = rules().budget
    if day is None or rooted_on is None or origin not in table.collected_origins:
        return 1.0
    recent = (day - rooted_on).days < table.recent_days
    return table.collected_recently if recent else 1.0


def matched_top_factor(reduced_percent: float, allowed: bool) -> float:
    """Factor 1 to 1.2 on the budget for a crown reduced to match the roots that go.

    Parameters
    ----------
    reduced_percent : how much of the crown goes, 0 to 100.
    allowed : species and practice let top and roots be worked together.
    """
    if not allowed:
        return 1.0
    table = rules().top_reduction
    # Less crown draws less water, but the roots lost are lost: a small factor, with a limit.
    return 1.0 + (table.max_factor - 1.0) * min(1.0, reduced_percent / table.full_at_percent)


def weighed_share(offcuts_g: float, ball_g: float) -> float:
    """Share taken by the scale: offcuts over offcuts and ball together, 0 to 1.

    Raises BadInput when nothing was weighed.
    """
    # A ball of nothing would make any offcut the whole of it.
    if offcuts_g < 0 or ball_g <= 0:
        raise BadInput("ball_g", "weigh both: the offcuts and the ball that is left")
    return offcuts_g / (offcuts_g + ball_g)


def weighing_correction(weighed: Sequence[tuple[float, float]]) -> float:
    """This tree's ratio of true to computed share, by (weighed, computed) of its sessions.

    The geometric mean, kept between the limits of the rules; 1 before anything was weighed.
    """
    # A session in which nothing was taken says nothing of the ratio.
    ratios = [true / computed for true, computed in weighed if true > 0 and computed > 0]
    if not ratios:
        return 1.0
    table = rules().weighing
    # Ratios multiply: twice and half of it together are no error.
    mean = prod(ratios) ** (1.0 / len(ratios))
    return min(table.max_ratio, max(table.min_ratio, mean))


def surface_share(where: str) -> float:
    """Share of all feeding root that the surface roots hold, by where fine roots mostly are.

    where : "mostly below", "even" or "mostly at the surface". Raises BadInput.
    """
    known = rules().feeding.surface_share
    if where not in known:
        raise BadInput("where", f"'{where}' is not one of {', '.join(known)}")
    return known[where]


def root_shares(
    roots: Iterable[tuple[str, float | None, int | None, str]], where: str = "even"
) -> dict[str, float]:
    """Feeding share of each surface root, together the share the surface holds.

    Parameters
    ----------
    roots : (label, base width mm or None, feeders 0 to 3 or None, condition). A width nobody
    measured counts as the median of the others.
    where : "mostly below", "even" or "mostly at the surface".

    >>> root_shares([("A", 10, 2, "sound"), ("B", None, 2, "sound")])
    {'A': 0.2, 'B': 0.2}
    """
    held = surface_share(where)
    listed = list(roots)
    measured = [width for _, width, _, _ in listed if width is not None]
    usual = float(median(measured)) if measured else 1.0
    weights = {
        label: 0.0
        if condition == "dead"
        # Not looked at is no sign of none: the usual number is taken.
        else (usual if width is None else width)
        * (rules().feeding.unknown_feeders if feeders is None else feeders)
        for label, width, feeders, condition in listed
    }
    total = sum(weights.values())
    if total == 0:
        return dict.fromkeys(weights, 0.0)
    return {label: held * weight / total for label, weight in weights.items()}


def slice_part(
    slice_mm: float, depth_mm: float, matted: bool = False, picked: bool = False
) -> float:
    """Part of the root below the surface roots that a bottom slice takes, 0 to 1.

    matted : the bottom is a mat, which counts 1.3 times. picked : thick roots were picked out
    through the ball to that depth instead, which takes half.
    """
    if slice_mm == 0:
        return 0.0
    if slice_mm < 0 or depth_mm <= 0 or slice_mm > depth_mm:
        raise BadInput("slice_mm", f"a slice of {slice_mm:g} mm does not fit {depth_mm:g} mm")
    # A mat lies at the bottom, so a slice takes more fine roots than its depth says.
    table = rules().feeding
    factor = (table.matted_factor if matted else 1.0) * (table.picked_factor if picked else 1.0)
    return min(1.0, slice_mm / depth_mm * factor)


def side_trim_part(trim_mm: float, ball: Ball) -> float:
    """Part taken by trimming `trim_mm` off every side: 1 - (L-2t)(W-2t)/(L W)."""
    if trim_mm < 0 or 2 * trim_mm >= min(ball.length_mm, ball.width_mm):
        raise BadInput("side_trim_mm", f"a trim of {trim_mm:g} mm leaves nothing of the ball")
    left = (ball.length_mm - 2 * trim_mm) * (ball.width_mm - 2 * trim_mm)
    return 1.0 - left / (ball.length_mm * ball.width_mm)


def session_share(roots: float, sliced: float, edge: float, surface: float = 0.4) -> float:
    """Share of all feeding root a session takes, 0 to 1: q = 1 - (1-e)(1 - (roots + (1-P) y)).

    Surface roots and the ball below them are separate stores; the trimmed edge goes through both.

    Parameters
    ----------
    roots : sum of the shares that go of single roots. sliced : y, part taken of what hangs below.
    edge : e, part that trimming takes all round. surface : P, share the surface roots hold.

    >>> round(session_share(0.1, 0.3, 0.1), 3)
    0.352
    """
    inside = min(1.0, roots + (1.0 - surface) * min(1.0, sliced))
    return 1.0 - (1.0 - min(1.0, edge)) * (1.0 - inside)


def collection_loss(ball_mm: float | None, trunk_mm: float | None) -> float | None:
    """Share of the root that digging leaves in the ground, 0 to 1; None where nothing is known.

    ball_mm : across the ball. Feeding root thins out with the distance from the trunk, so what a
    ball keeps grows with its diameter against the whole root zone.

    >>> round(collection_loss(300, 50), 2)
    0.6
    """
    if not ball_mm or not trunk_mm:
        return None
    zone = rules().feeding.root_zone_trunks * trunk_mm
    return max(0.0, 1.0 - ball_mm / zone)


def strain(share: float, bearing: float) -> float:
    """Strain 100 (q/B)²; 0 when nothing is taken. An indicator, not a chance of death.

    bearing : B, the most the tree could bear, so that strains of all schools can be compared.
    Raises BadInput when something is taken and the tree bears nothing.
    """
    if share <= 0:
        return 0.0
    if bearing <= 0:
        raise BadInput("budget", "nothing may be taken from this tree now")
    return float(100.0 * (share / bearing) ** 2)


def over_budget(share: float, budget: float) -> float:
    """How far a share lies over a budget, 0 where it does not; less than 0.01 % is rounding."""
    return max(0.0, share - budget) if share - budget > ROUNDING else 0.0


def over_limit(kind: str, share: float, limit: float) -> bool:
    """Whether a session took more than its limit.

    Kinds with rules of their own have none, and combing the edge alone never counts.
    """
    return not _own_rules(kind) and over_budget(share, max(limit, rules().feeding.edge_share)) > 0


def treated_as_cutting(kind: str, share: float | None, bearing: float | None) -> bool:
    """Whether a session took more than the tree could bear, so that it is cared for as a cutting.

    Combing the edge alone never makes one: no root that carries others was cut. Kinds with a budget
    of their own, such as collection, have an aftercare of their own too.
    """
    if _own_rules(kind) or share is None or bearing is None:
        return False
    return over_budget(share, max(bearing, rules().feeding.edge_share)) > 0


def _own_rules(kind: str) -> bool:
    # A record may name a kind that is no longer offered.
    return any(one.key == kind and one.own_budget is not None for one in KINDS)
