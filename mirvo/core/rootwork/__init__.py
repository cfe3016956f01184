"""What a session may take: budget, bearing, shares, cuts and kinds of session."""

from mirvo.core.rootwork.budget import (
    Ball,
    BudgetedTree,
    SessionLimits,
    collection_loss,
    edge_share,
    matched_top_factor,
    origin_factor,
    removal_budget,
    root_shares,
    session_limits,
    session_share,
    side_trim_part,
    slice_part,
    strain,
    weighed_share,
    weighing_correction,
)
from mirvo.core.rootwork.kinds import KINDS, Kind, kind_by_key, kind_name

__all__ = [
    "KINDS",
    "Ball",
    "BudgetedTree",
    "Kind",
    "SessionLimits",
    "collection_loss",
    "edge_share",
    "kind_by_key",
    "kind_name",
    "matched_top_factor",
    "origin_factor",
    "removal_budget",
    "root_shares",
    "session_limits",
    "session_share",
    "side_trim_part",
    "slice_part",
    "strain",
    "weighed_share",
    "weighing_correction",
]
