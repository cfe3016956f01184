"""Tries at signing in: wrong ones make the next one wait, longer each time."""

from __future__ import annotations

import ipaddress
import time
from collections.abc import Callable
from threading import Lock

FREE_TRIES, FIRST_WAIT_S, LONGEST_WAIT_S = 5, 15.0, 900.0
# From one address, whatever the name: a household has so many slips and no more.
FREE_FROM_ADDRESS = 30
FORGOTTEN_AFTER_S = 3600.0
# An IPv6 household is given a whole network of addresses.
NETWORK_BITS = 64


class Throttle:
    """How long the next try has to wait, by what it is made with.

    A try counts when it begins, before its passphrase is proven: many at once are as many.
    clock : seconds that only ever go on, whatever is done to the clock on the wall.
    """

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock = clock
        self._lock = Lock()
        self._tries: dict[str, tuple[int, float]] = {}

    def begin(self, free: dict[str, int]) -> float:
        """Count a try made with these, and what each allows before the first wait.

        Returns 0.0 when it may be made, else the seconds to wait; then it does not count.
        """
        now = self._clock()
        with self._lock:
            wait = max((self._left(key, most, now) for key, most in free.items()), default=0.0)
            if wait > 0:
                return wait
            for key in free:
                self._tries[key] = (self._tries.get(key, (0, now))[0] + 1, now)
            # What was tried an hour ago is forgotten, so that this does not grow for ever.
            old = now - FORGOTTEN_AFTER_S
            self._tries = {key: one for key, one in self._tries.items() if one[1] > old}
            return 0.0

    def succeeded(self, keys: dict[str, int]) -> None:
        """A try with these was right; what was tried before is forgotten."""
        with self._lock:
            for key in keys:
                self._tries.pop(key, None)

    def _left(self, key: str, free: int, now: float) -> float:
        count, last = self._tries.get(key, (0, now))
        if count < free:
            return 0.0
        wait = min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(count - free, 10))
        return max(0.0, wait - (now - last))


def network_of(address: str) -> str:
    """An address as tries are counted by it: of IPv6 the network it lies in.

    >>> network_of("192.168.1.20"), network_of("fd00::1:2:3:4"), network_of("")
    ('192.168.1.20', 'fd00::', '')
    """
    try:
        found = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return address
    if found.version == 4:
        return str(found)
    network = ipaddress.ip_network((found, NETWORK_BITS), strict=False)
    return str(network.network_address)
