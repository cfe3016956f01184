"""An application on a socket of its own."""

import socket
import threading

import uvicorn

from tests.waiting import until


def serve(case, app):
    """Serve an application until the end of a test; its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(app, port=port, log_level="critical"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    until(lambda: server.started)

    def stop():
        server.should_exit = True
        thread.join(10)

    case.addCleanup(stop)
    return f"http://127.0.0.1:{port}"
