"""What follows a session: aftercare tasks."""

from mirvo.core.care.aftercare import CareTask, aftercare

__all__ = ["CareTask", "aftercare"]
