"""When a root session may happen."""

from mirvo.core.season.window import Window, window_of, year_window

__all__ = ["Window", "window_of", "year_window"]
