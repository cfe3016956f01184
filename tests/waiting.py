"""Waiting for what comes about beside a test, with an end to it."""

import time

PAUSE_S = 0.02


def until(holds, seconds=60.0):
    """Wait until something holds. Raises AssertionError: it never came to that."""
    end = time.monotonic() + seconds
    while not holds():
        if time.monotonic() > end:
            raise AssertionError(f"not within {seconds:.0f} seconds")
        time.sleep(PAUSE_S)
