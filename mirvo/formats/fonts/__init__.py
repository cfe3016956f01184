"""Fonts for files that are made: the same as the pages have, in the form printing wants."""

from __future__ import annotations

from pathlib import Path

HERE = Path(__file__).parent
REGULAR = HERE / "atkinson-hyperlegible-next-regular.ttf"
BOLD = HERE / "atkinson-hyperlegible-next-bold.ttf"
FONT_FILES = (REGULAR, BOLD)
