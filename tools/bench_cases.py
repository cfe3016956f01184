"""Planning cases the benchmark times, by seed."""

from __future__ import annotations

import random
from typing import Any

HARD_CASES = 12


def small_case(seed: int) -> dict[str, Any]:
    """Two faults, one gap and six years: small enough to try every way."""
    rng = random.Random(seed)
    data = hard_case(seed)
    data["faults"] = data["faults"][:2]
    data["gaps"] = data["gaps"][:1]
    data["horizon_years"] = 6
    data["state"]["ball_depth_mm"] = rng.choice([50, 60])
    data["target"] |= {"largest_gap_deg": 95, "spread_ratio": 2.1, "pot_depth_mm": 55}
    return data


def hard_case(seed: int) -> dict[str, Any]:
    """Six faults, three gaps to graft and a long horizon."""
    rng = random.Random(seed)
    turn = rng.randint(0, 359)
    keep = [(a + turn) % 360 for a in (5, 95, 125, 215, 245, 335)]
    azimuths = [(a + turn) % 360 for a in (30, 60, 150, 180, 270, 300)]
    return {
        "today": "2026-11-23",
        "species": {
            "group": "temperate deciduous",
            "interval_years": 2,
            "budget": {"gentle": 0.3, "steady": 0.45, "bold": 0.65},
        },
        "strength": "strong",
        "age": "young",
        "origin_factor": 1.0,
        "worth": 1.0,
        "state": {
            "trunk_diameter_mm": 42,
            "spread_mm": rng.randint(66, 84),
            "spread_basis": "flare",
            "woody_depth_mm": rng.randint(60, 80),
            "ball_depth_mm": rng.randint(80, 130),
            "last_session_year": 2024,
            "container": "wide training pot",
            "matted": False,
            "root_azimuths_deg": keep + azimuths,
            "growth": {"spread_mm_per_year": 6.0, "trunk_mm_per_year": 1.2},
        },
        "faults": [
            {
                "label": label,
                "share": round(rng.uniform(0.03, 0.15), 3),
                "priority": place + 1,
                "azimuth_deg": azimuths[place],
            }
            for place, label in enumerate("ABCDEF")
        ],
        "gaps": [
            {"from_deg": keep[place], "to_deg": keep[place + 1], "method": "graft"}
            for place in (0, 2, 4)
        ],
        "target": {
            "spread_ratio": round(rng.uniform(2.1, 2.7), 2),
            "largest_gap_deg": 60,
            "pot_depth_mm": rng.choice([45, 50, 60]),
            "year": 2034,
        },
        "horizon_years": 15,
    }
