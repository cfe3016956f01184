"""An application that is made when it is first asked for, so that a start need not wait for it."""

from __future__ import annotations

import threading
from collections.abc import Callable

from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send


class Later:
    """Made by the first request, beside the other requests; those that come meanwhile wait."""

    def __init__(self, make: Callable[[], ASGIApp]) -> None:
        self._make = make
        self._app: ASGIApp | None = None
        self._making = threading.Lock()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        app = await run_in_threadpool(self._made) if self._app is None else self._app
        await app(scope, receive, send)

    def _made(self) -> ASGIApp:
        with self._making:
            if self._app is None:
                self._app = self._make()
            return self._app
