"""On Python 3.11 garbage is collected between steps, never in the middle of making an object.

CPython up to 3.11 collects as soon as some object is allocated, also while the attributes of an
instance are moved into a dict of their own. What runs then, such as the callback SQLAlchemy has for
each row, can have that dict made a second time; memory is freed that is still in use, and with
thousands of rows the server crashed. A thread that asks for collections runs between steps only.
"""

from __future__ import annotations

import gc
import sys
import threading
from dataclasses import dataclass

# From here on CPython itself collects between steps only.
COLLECTS_BETWEEN_STEPS = (3, 12)
# How often young objects are looked through, and all of them.
YOUNG_S, ALL_S = 0.5, 60.0


@dataclass(frozen=True)
class Collector:
    """Collects until it is stopped; then objects are collected as Python itself does."""

    _stopped: threading.Event

    def stop(self) -> None:
        self._stopped.set()
        gc.enable()


def collect_beside() -> Collector:
    """Take what exists already to stay; on an older Python collect in a thread of its own."""
    gc.freeze()
    stopped = threading.Event()
    if sys.version_info >= COLLECTS_BETWEEN_STEPS:
        gc.enable()
        return Collector(stopped)
    gc.disable()
    threading.Thread(target=_collect, args=(stopped,), name="garbage", daemon=True).start()
    return Collector(stopped)


def _collect(stopped: threading.Event) -> None:
    rounds = 0
    while not stopped.wait(YOUNG_S):
        rounds += 1
        gc.collect(2 if rounds % round(ALL_S / YOUNG_S) == 0 else 1)
