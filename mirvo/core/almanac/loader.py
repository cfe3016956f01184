"""Reads the almanac's data files and checks them against their schema."""

from __future__ import annotations

from functools import cache
from typing import Literal

from mirvo.core.almanac.data_files import Data, read_data

SCHOOLS = ("gentle", "steady", "bold")


USUAL_CONTAINER = "wide training pot"


class Container(Data):
    """growth : of a year, against a wide training pot. roomy : it leaves the ball room to grow
    once after each session where its depth is not known. depth_mm : inside, where the kind
    alone says it. sides_grow : whether the ball's sides grow back in one chosen to fit: never, once
    after each session, or yearly."""

    growth: float
    roomy: bool
    depth_mm: float | None
    sides_grow: Literal["never", "once", "yearly"]


class BudgetRules(Data):
    """collected_recently : factor within recent_days of collection from one of the origins."""

    strength: dict[str, float]
    age: dict[str, float]
    season: dict[str, float]
    collected_recently: float
    collected_origins: list[str]
    recent_days: int
    max_budget: float
    worth: dict[str, float]


class FeedingRules(Data):
    """surface_share : of all feeding root that the surface roots hold, by where fine roots are.

    matted_factor, picked_factor : on what a slice takes, where the bottom is a mat, and where
    thick roots are picked out instead. edge_share : what combing and trimming the edge takes in
    every session, at most `edge_of_gentle` of the gentle budget. root_zone_trunks : across all
    the feeding root of an undisturbed tree, in trunk diameters.
    """

    surface_share: dict[str, float]
    unknown_feeders: int
    matted_factor: float
    picked_factor: float
    edge_share: float
    edge_of_gentle: float
    root_zone_trunks: float


class ShareErrorRules(Data):
    """Standard deviations of what a share rests on: of the surface's share in parts of the whole,
    else relative. weighed : of a share the tree's own weighings correct."""

    surface_share: float
    root_weight: float
    slice: float
    edge: float
    weighed: float


class PlanRules(Data):
    """Years after which gap work counts, chances that it takes, sizes in mm, and what plans weigh.

    overdue_growth : factor on a year beyond the longest interval, which is `longest_of_intervals`
    intervals. slice_of_ball : most of a ball's depth one session slices off; min_slice_mm : the
    least that is worth a saw, but to the depth the last pot takes; slice_leaves_of_trunk : part of
    the trunk's diameter that a slice leaves at least. graft_session_of_bearing : part of what the
    tree could bear that a session takes in which grafts are set. unlikely_years : years after the
    horizon that a plan counts with which is never likely to have arrived. thickening : of a
    fault root's share in a year, up to `thickest_share`. strain_limit : of one session, for a
    tree that is fair or old. faults_strain : up to which a session takes one fault after another.
    rest_strains : a session over each asks for a year of rest more; gentle_rest_years : between
    sessions of the gentle school at least. side_growth_mm, side_room_mm : by which each side of
    the ball grows back, and what a pot leaves it; min_trim_mm, trim_of_side : least trim of a
    side, and most of its length or width. session_toll, year_toll : what a session, and a year
    more, weighs against strain. tradeoff_step : by how much a later year must save toll. fork_deg :
    how far a fork or a bent root reaches into a gap. returned_share : part of its share that a
    root has again when it has grown back. layer_ball_mm, layer_roots : of a ground layer.
    """

    offered: list[str]
    ball_growth_mm: float
    min_ball_mm: float
    slice_step_mm: float
    min_slice_mm: float
    slice_leaves_of_trunk: float
    soil_layer_mm: float
    rim_clearance_mm: float
    session_growth_loss: float
    overdue_growth: float
    longest_of_intervals: float
    slice_of_ball: float
    thickening: float
    thickest_share: float
    strain_limit: float
    faults_strain: float
    rest_strains: list[float]
    gentle_rest_years: int
    side_growth_mm: int
    side_room_mm: float
    min_trim_mm: int
    trim_of_side: float
    session_toll: float
    year_toll: float
    tradeoff_step: float
    horizon_years: int
    horizon_intervals: int
    unlikely_years: int
    likely_chance: float
    graft_success: float
    graft_years: int
    graft_session_of_bearing: float
    fork_deg: float
    returned_share: float
    layer_success: float
    layer_success_unwilling: float
    layer_years: int
    layer_ball_mm: float
    layer_roots: int
    origin_years: int
    growth_relative_sd: float


class TieWire(Data):
    """Gauge for trunks up to a diameter."""

    trunk_to_mm: float
    gauge_mm: float


class MaterialRules(Data):
    """settling : soil that settles, as a share. trunks_long : length of a container still to
    be chosen, in trunk diameters; its width is `width_share` of that."""

    settling: float
    hole_every_mm: float
    board_gap_mm: float
    clip_wire_mm: float
    ties: int
    tie_ends_mm: float
    tie_wire: list[TieWire]
    wedge_stones: int
    coarse_layer_mm: float
    nails_per_graft: int
    layer_turns: int
    width_share: float
    trunks_long: dict[str, float]


class DryAndWet(Data):
    """Kilograms a litre weighs, dry and wet."""

    dry: float
    wet: float


class PotRules(Data):
    """What a ball wants of a pot; lengths in mm, shares of the ball's size.

    side_room_mm : fresh soil on each side. roomy_share : more room than this stays wet.
    comb_share : more than this is not combed off. lift_kg : more takes two. usual_depth : of the
    trunk's diameter; usual_length : of the tree's height.
    """

    side_room_mm: float
    roomy_share: float
    comb_share: float
    soil_kg_per_l: DryAndWet
    ball_kg_per_l: DryAndWet
    lift_kg: float
    usual_depth: float
    usual_length: float


class SoilRules(Data):
    """How high water stands in a mix: mm over the mean grain in mm, by its air space."""

    rise_least: float
    rise_most: float
    air_least: float
    air_most: float


class TargetLimits(Data):
    """The least and the most that may be wished for."""

    spread_ratio: tuple[float, float]
    largest_gap_deg: tuple[float, float]
    pot_depth_mm: tuple[float, float]
    pot_length_mm: tuple[float, float]


class TargetRules(Data):
    """What a target begins with; spread_step : in trunks beyond what there is now."""

    spread_ratio: float
    spread_step: float
    largest_gap_deg: float
    min_pot_mm: float
    limits: TargetLimits


class AdviserRules(Data):
    """straight_deg : what strays more from outward is a bend. Lengths in trunk diameters."""

    straight_deg: float
    min_stub_trunks: float
    bendable_trunks: float
    crossing_clear_mm: float


class TopReductionRules(Data):
    max_factor: float
    full_at_percent: float


class WeighingRules(Data):
    min_ratio: float
    max_ratio: float


class SeasonRules(Data):
    """Days about a usual window in which buds seen concern it; how far warmth may move it;
    usual daily highs, by group, at which windows close.

    prior_years : as many usual years stand beside those noted. edge_days : how far outside its
    window a tree may still be worked, at an edge budget. worked_dormant : groups whose dormant
    work depends on the practice. leafless_groups : without leaves in winter. growing_weeks : from
    the usual last frost to leaf fall. hardened_weeks : from leaves to hardened ones. layer_weeks :
    a layer needs to root before the tree rests. tropical_groups : they never rest where no frost
    comes.
    """

    leafless_groups: list[str]
    growing_weeks: int
    hardened_weeks: int
    layer_weeks: int
    tropical_groups: list[str]
    under_glass_weeks: int
    edge_days: int
    worked_dormant: list[str]
    dormant_wait_days: int
    buds_before_days: int
    buds_after_days: int
    max_shift_days: int
    prior_years: int
    nights_near_days: int
    second_window_weeks: dict[str, tuple[int, int]]
    heat_ceiling_c: dict[str, float]


class BudRule(Data):
    """Degree days above a base temperature after which buds swell."""

    base_c: float
    degree_days: float


class TriageRules(Data):
    """points : what each sign weighs. Verdicts from sums; delays in a row at most.

    near_window_days : a window so far ahead is waited for; nothing delays a tree until then.
    """

    points: dict[str, int]
    interval_points: dict[str, int]
    repot_from: int
    look_from: int
    press_from: int
    near_window_days: int
    dries_faster_share: float
    max_delays: int


class FollowUp(Data):
    """A task so many days after its anchor, see `mirvo.core.care.aftercare`."""

    days: int
    code: str
    anchor: Literal["day", "growth"] = "day"


class CareRules(Data):
    """Days and weeks of aftercare, from the anchor of each task.

    fresh_days : how long roots count as fresh after a session. lasting : codes of tasks that a
    later session of the tree does not end. warm_days : at least so long a tender tree is kept warm.
    shortest_stretch_days : a shorter stretch in one place is joined to its neighbour. lapse_days :
    so long after its day a task that does not last is asked for no more.
    """

    shade_days: dict[str, int]
    mild_shade_days: int
    shade_kinds: dict[str, int]
    cutting_shade_days: int
    cover_days: int
    covered_kinds: list[str]
    frost_guard_days: int
    first_feed_days: int
    tie_check_days: int
    bud_check_days: int
    shoot_check_days: int
    late_shoot_days: int
    look_weeks: list[int]
    close_look_weeks: list[int]
    closely_watched_kinds: list[str]
    wound_check_days: int
    warm_days: int
    tender_from_c: float
    fresh_days: int
    shortest_stretch_days: int
    pest_look_days: list[int]
    crown_days: int
    lapse_days: int
    lasting: list[str]
    kinds: dict[str, list[FollowUp]]


class StandingRules(Data):
    """How sure a ball's depth is, mm or relative, and how long trees recover, days.

    ball_guess_trunks : depth of a ball nobody noted, in trunk diameters. recovery_days : after a
    session that took nothing, and after one that took all the tree could bear. signs_fade_days :
    what was found longer ago no longer speaks against a tree's strength. second_session_groups,
    second_session_weeks : who may be worked twice in a season, and how long after the first.
    """

    ball_recorded_mm: float
    ball_growth_error: float
    ball_typed_mm: float
    ball_guess_trunks: float
    ball_guess_error: float
    recovery_days: tuple[int, int]
    emergency_recovery_days: int
    cutting_recovery_days: int
    newcomer_recovery_days: int
    newcomer_days: int
    signs_fade_days: int
    second_session_groups: list[str]
    second_session_weeks: int


class AnswerRules(Data):
    """What an answer of the tree moves its bearing by, and what makes it fair or poor.

    leaf_lost : percent. shoots : days until the first new shoots.
    """

    factor: dict[str, float]
    factor_limits: tuple[float, float]
    leaf_lost_fair: float
    leaf_lost_poor: float
    shoots_fair_days: int
    shoots_poor_days: int


class Rules(Data):
    budget: BudgetRules
    feeding: FeedingRules
    share_error: ShareErrorRules
    containers: dict[str, Container]
    plan: PlanRules
    materials: MaterialRules
    pots: PotRules
    soil: SoilRules
    target: TargetRules
    adviser: AdviserRules
    top_reduction: TopReductionRules
    weighing: WeighingRules
    chill_days: int
    season: SeasonRules
    phenology: dict[str, BudRule]
    care: CareRules
    triage: TriageRules
    standing: StandingRules
    answers: AnswerRules

    def container(self, name: str) -> Container:
        """A container by its name; one that is offered no more counts as the usual."""
        return self.containers.get(name) or self.containers[USUAL_CONTAINER]

    def worth(self, word: str) -> float:
        """Factor of the budget by what a tree is worth to the artist; an unknown word counts as
        the usual."""
        return self.budget.worth.get(word, self.budget.worth["usual"])


@cache
def rules() -> Rules:
    """The numbers planning and budget use."""
    return Rules(**read_data("rules.yaml"))
