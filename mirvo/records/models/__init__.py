"""Tables. Dates are dates, times are UTC; documents stand in columns that check them.

What people ask about has a table of its own: roots, what was decided and done to each in a
session, what was found on it, years a target holds. CHECKs and foreign keys say what the code
believes. How tables change: `migrations`.
"""

from __future__ import annotations

from mirvo.records.models.base import MAX_LABEL, Compostable, Table
from mirvo.records.models.bench import BenchEntry, BenchPhoto, BenchSession
from mirvo.records.models.exchange import ApiToken, ForeignRow, SharedExperience
from mirvo.records.models.people import GuestTree, Person, SharedTree, SignIn
from mirvo.records.models.photos import EyeCheck, HandMeasurement, Measurement, Photo
from mirvo.records.models.plans import GapPlan, Plan, Regrowth, Target, TargetHold, TargetPot
from mirvo.records.models.sessions import (
    CareTask,
    CutRecord,
    FindingRecord,
    PotWeight,
    RootSession,
    TreeAnswer,
    Watering,
)
from mirvo.records.models.set_aside import SetAside
from mirvo.records.models.shelf import ShelfPot, SoilComponent, SoilRecipe, Supply
from mirvo.records.models.trees import (
    FigureChange,
    NightMinimum,
    Root,
    Tree,
    TreeGraft,
    Yard,
)
from mirvo.records.models.versions import StateVersion

__all__ = [
    "MAX_LABEL",
    "ApiToken",
    "BenchEntry",
    "BenchPhoto",
    "BenchSession",
    "CareTask",
    "Compostable",
    "CutRecord",
    "EyeCheck",
    "FigureChange",
    "FindingRecord",
    "ForeignRow",
    "GapPlan",
    "GuestTree",
    "HandMeasurement",
    "Measurement",
    "NightMinimum",
    "Person",
    "Photo",
    "Plan",
    "PotWeight",
    "Regrowth",
    "Root",
    "RootSession",
    "SetAside",
    "SharedExperience",
    "SharedTree",
    "ShelfPot",
    "SignIn",
    "SoilComponent",
    "SoilRecipe",
    "StateVersion",
    "Supply",
    "Table",
    "Target",
    "TargetHold",
    "TargetPot",
    "Tree",
    "TreeAnswer",
    "TreeGraft",
    "Watering",
    "Yard",
]
