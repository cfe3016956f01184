"""Wrong tries at the door make the next one wait, longer each time."""

from __future__ import annotations

from datetime import datetime, timedelta
from threading import Lock

FREE_TRIES, FIRST_WAIT_S, LONGEST_WAIT_S = 5, 15.0, 900.0


class Throttle:
    """How long the next try has to wait, by what it is tried with."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._tries: dict[str, tuple[int, datetime]] = {}

    def wait_s(self, keys: tuple[str, ...], now: datetime) -> float:
        """Seconds until a try with any of these may be made; 0 when it may be now."""
        with self._lock:
            return max(self._left(key, now) for key in keys)

    def failed(self, keys: tuple[str, ...], now: datetime) -> None:
        """A try with these was wrong."""
        with self._lock:
            for key in keys:
                self._tries[key] = (self._tries.get(key, (0, now))[0] + 1, now)
            # What was tried an hour ago is forgotten, so that this does not grow for ever.
            old = now - timedelta(hours=1)
            self._tries = {key: one for key, one in self._tries.items() if one[1] > old}

    def succeeded(self, keys: tuple[str, ...]) -> None:
        with self._lock:
            for key in keys:
                self._tries.pop(key, None)

    def _left(self, key: str, now: datetime) -> float:
        count, last = self._tries.get(key, (0, now))
        if count < FREE_TRIES:
            return 0.0
        wait = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** (count - FREE_TRIES))
        return max(0.0, wait - (now - last).total_seconds())
