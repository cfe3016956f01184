"""How far the process that looks at photos has come, shared with the server."""

from __future__ import annotations

from typing import Any

WORDS = 80
# typeshed knows no bytes in a shared array, so both are Any.
_board: tuple[Any, Any] | None = None


def share_board(words: Any, part: Any) -> None:
    """Called in the process when it starts: where it writes how far it has come."""
    global _board
    _board = (words, part)


def report(stage: str, part: float) -> None:
    """Say what is being done, and how much of it is done (0 to 1); silent without a board."""
    if _board is None:
        return
    words, share = _board
    with words.get_lock():
        words.value = stage.encode()[: WORDS - 1]
        share.value = part
