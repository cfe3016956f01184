"""What a session may take: budget, shares, kinds of session."""

from mirvo.core.rootwork.budget import (
    Ball,
    matched_top_factor,
    removal_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
    strain,
    weighed_share,
    weighing_correction,
)
from mirvo.core.rootwork.kinds import KINDS, Kind, kind_by_key

__all__ = [
    "KINDS",
    "Ball",
    "Kind",
    "kind_by_key",
    "matched_top_factor",
    "removal_budget",
    "root_shares",
    "session_share",
    "side_trim_part",
    "slice_part",
    "strain",
    "weighed_share",
    "weighing_correction",
]
