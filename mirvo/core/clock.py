"""Places on the base as hours of a clock, the front at 6 o'clock."""

from __future__ import annotations

from collections.abc import Iterable

DEG_PER_HOUR = 30.0
FIVE_MINUTES_DEG = 2.5


def clock_time(azimuth_deg: float) -> str:
    """A place to five minutes of the clock.

    >>> clock_time(107.0), clock_time(359.0)
    ('3:35', '12:00')
    """
    minutes = round(azimuth_deg / FIVE_MINUTES_DEG) * 5 % (12 * 60)
    return f"{minutes // 60 or 12}:{minutes % 60:02d}"


def clock_list(azimuths_deg: Iterable[float]) -> str:
    """Several places in the order of the clock, as one types them.

    >>> clock_list([268.0, 105.0])
    '3:30, 8:55'
    """
    return ", ".join(clock_time(azimuth) for azimuth in sorted(azimuths_deg))


def clock_azimuths(text: str) -> list[float]:
    """The azimuths of "3:30, 8:55", degrees; of what cannot be read none.

    >>> clock_azimuths("3:30, 8:55")
    [105.0, 267.5]
    """
    found = []
    for part in text.split(","):
        hour, _, minute = part.strip().partition(":")
        if hour.isdigit() and (minute.isdigit() or not minute):
            found.append((int(hour) % 12 + int(minute or 0) / 60) * DEG_PER_HOUR)
    return found
