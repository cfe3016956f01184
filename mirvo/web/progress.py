"""How far a task has come, told while it is done."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict
from typing import Any, TypeVar

from fastapi.responses import StreamingResponse

from mirvo.studio.ground.vision_worker import Answer, Refusal, Stage

LINES = "application/x-ndjson"
T = TypeVar("T")


def told_in_lines(
    coming: Iterable[Stage | Answer[T] | Refusal], as_json: Callable[[T], Any]
) -> StreamingResponse:
    """One JSON object a line: `stage` and `share`, at last `result`, or `problem`."""
    return StreamingResponse(_lines(coming, as_json), media_type=LINES)


def _lines(
    coming: Iterable[Stage | Answer[T] | Refusal], as_json: Callable[[T], Any]
) -> Iterator[str]:
    for message in coming:
        if isinstance(message, Answer):
            line = {"result": as_json(message.result)}
        else:
            said = asdict(message)
            line = said if isinstance(message, Stage) else {"problem": said}
        # A line at a time, so that the page shows how far it is.
        yield json.dumps(line) + "\n"
