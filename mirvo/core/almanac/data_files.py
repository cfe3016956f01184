"""Reads the almanac's data files."""

from __future__ import annotations

from importlib.resources import files
from typing import Any

import yaml
from pydantic import BaseModel, ConfigDict


class Data(BaseModel):
    """A piece of a data file: only known names, and nobody changes it."""

    # A misspelt rule in a data file must stop the start, not be ignored.
    model_config = ConfigDict(extra="forbid", frozen=True)


def read_data(name: str) -> Any:
    """A data file of the almanac, parsed."""
    loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)  # ten times faster where it was built
    return yaml.load(files(__package__).joinpath(name).read_text("utf-8"), Loader=loader)  # noqa: S506
