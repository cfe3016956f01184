"""What a session may take: budget, shares, kinds of session."""

from mirvo.core.rootwork.budget import (
    Ball,
    removal_budget,
    root_shares,
    session_share,
    side_trim_part,
    slice_part,
    strain,
)
from mirvo.core.rootwork.kinds import KINDS, Kind, kind_by_key

__all__ = [
    "KINDS",
    "Ball",
    "Kind",
    "kind_by_key",
    "removal_budget",
    "root_shares",
    "session_share",
    "side_trim_part",
    "slice_part",
    "strain",
]
