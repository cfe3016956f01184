"""A client of the application that sits at the computer it is served from."""

from typing import Any

from starlette import testclient

HERE = ("127.0.0.1", 50000)


class TestClient(testclient.TestClient):
    """The framework's own calls from no address, which nobody may take for this computer's."""

    # No case of its own, whatever its name says to those who collect tests.
    __test__ = False

    def __init__(self, app: Any, *args: Any, client: tuple[str, int] = HERE, **more: Any) -> None:
        super().__init__(app, *args, client=client, **more)
