"""When a root session may happen."""

from mirvo.core.season.season_state import season_state
from mirvo.core.season.window import BUD_STAGES, Outlook, Window, frost_day, window_of, year_window

__all__ = [
    "BUD_STAGES",
    "Outlook",
    "Window",
    "frost_day",
    "season_state",
    "window_of",
    "year_window",
]
