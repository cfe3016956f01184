"""Why a figure of a species is about as large as it is."""

from __future__ import annotations

from functools import cache

from mirvo.core.almanac.data_files import read_data


@cache
def _reasons() -> dict[str, dict[str, str]]:
    return dict(read_data("reasons.yaml"))


def reason_for(figure: str, group: str) -> str:
    """Why a figure is about as large as it is for species of a group; empty where none is given."""
    known = _reasons().get(figure, {})
    return known.get(group, known.get("usual", ""))
