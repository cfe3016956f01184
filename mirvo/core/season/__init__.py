"""When a root session may happen."""

from mirvo.core.season.season_state import Season, season_state
from mirvo.core.season.window import (
    BUD_STAGES,
    Outlook,
    Place,
    Reason,
    Shift,
    Window,
    due_from,
    frost_day,
    next_window,
    window_of_year,
    windows_ahead,
    year_window,
)

__all__ = [
    "BUD_STAGES",
    "Outlook",
    "Place",
    "Reason",
    "Season",
    "Shift",
    "Window",
    "due_from",
    "frost_day",
    "next_window",
    "season_state",
    "window_of_year",
    "windows_ahead",
    "year_window",
]
