"""What follows a session: aftercare tasks."""

from mirvo.core.care.aftercare import (
    CareTask,
    CareValues,
    Surroundings,
    Worked,
    aftercare,
    shade_days,
    surroundings,
)

__all__ = [
    "CareTask",
    "CareValues",
    "Surroundings",
    "Worked",
    "aftercare",
    "shade_days",
    "surroundings",
]
