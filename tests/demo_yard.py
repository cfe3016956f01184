"""The demo yard for tests: made once for a run, a copy for each test class that asks."""

import os
import shutil
import tempfile
from pathlib import Path

from filelock import FileLock

from mirvo.demo.load import load_demo

# Set by the runner: a folder all processes of a run share.
SHARED = "MIRVO_TESTS_SHARED"


def demo_copy(case):
    """A folder with the demo yard, gone when a test class is done."""
    work = Path(tempfile.mkdtemp())
    case.addClassCleanup(shutil.rmtree, work, True)
    shared = os.environ.get(SHARED)
    if shared is None:
        load_demo(work / "demo")
        return work / "demo"
    made = Path(shared) / "demo"
    with FileLock(f"{made}.lock"):
        load_demo(made)
        shutil.copytree(made, work / "demo")
    return work / "demo"
