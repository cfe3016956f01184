"""How far the process that looks at photos has come, shared with the server."""

from __future__ import annotations

import os
import threading
import time
from typing import Any

WORDS = 80
WATCH_S = 1.0
# typeshed knows no bytes in a shared array, so both are Any.
_board: tuple[Any, Any] | None = None


def share_board(words: Any, part: Any) -> None:
    """Called in the process when it starts: where it writes how far it has come."""
    global _board
    _board = (words, part)
    threading.Thread(target=_end_with, args=(os.getppid(),), daemon=True).start()


def _end_with(server: int) -> None:
    """End this process when the server is gone, however it went; nobody else would end it."""
    while os.getppid() == server:
        time.sleep(WATCH_S)
    os._exit(0)


def report(stage: str, part: float) -> None:
    """Say what is being done, and how much of it is done (0 to 1); silent without a board."""
    if _board is None:
        return
    words, share = _board
    with words.get_lock():
        words.value = stage.encode()[: WORDS - 1]
        share.value = part
