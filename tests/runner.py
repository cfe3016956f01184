"""Runs the tests side by side, one process a core, and closes with one line that counts them.

`python -m tests` runs all, `python -m tests tests.core` those below a package or in a module,
`python -m tests --quick` those of the core that are done in a moment. With `--coverage` it says
which lines no test runs.
"""

import doctest
import gc
import io
import os
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from importlib import import_module
from multiprocessing import get_context
from pathlib import Path
from pkgutil import walk_packages

import coverage

import mirvo
from mirvo.web.garbage import collect_beside
from tests.demo_yard import SHARED

ROOT = Path(__file__).parent.parent
DOCTESTS = "doctests of "
SLOWEST_SHOWN = 5
QUICK, COVERAGE = "--quick", "--coverage"
# What needs no server and no browser, but for searches, pictures and rendered scenes.
QUICK_PARTS = ("tests.core",)
NOT_QUICK = (
    *("tests.core.plan.test_search", "tests.core.plan.test_written_cases"),
    *("tests.core.plan.test_properties", "tests.core.vision", "tests.core.measure.test_side"),
    "tests.core.measure.test_top.SimulatedTruthTest",
)
# Long searches and pages in a browser run the same lines again and again; counting them costs
# more than it says, as other tests run these lines too.
NOT_WATCHED = ("tests.browser", "tests.core.plan.test_search", "tests.core.plan.test_properties")
# The slow ones begin first, so that no core waits for a long one at the end.
SLOW_FIRST = ("tests.browser", "tests.demo", "tests.core.plan", "tests.core.vision")


@dataclass(frozen=True)
class Outcome:
    """What became of one group of tests: how many ran, the names that failed, and the report."""

    name: str
    run: int
    failed: tuple[str, ...]
    skipped: int
    report: str
    seconds: float


def main() -> int:
    asked = [word for word in sys.argv[1:] if word not in (QUICK, COVERAGE)]
    quick, covered = QUICK in sys.argv, COVERAGE in sys.argv
    groups = _groups(asked or list(QUICK_PARTS if quick else ()))
    if quick:
        groups = [name for name in groups if not name.startswith(NOT_QUICK)]
    with tempfile.TemporaryDirectory() as folder:
        os.environ[SHARED] = folder
        data = str(Path(folder) / "coverage") if covered else ""
        outcomes = _run(groups, data)
        if covered:
            _print_coverage(data)
    failed = [name for outcome in outcomes for name in outcome.failed]
    for outcome in outcomes:
        print(outcome.report, end="")
    for outcome in sorted(outcomes, key=lambda one: -one.seconds)[:SLOWEST_SHOWN]:
        print(f"{outcome.seconds:6.1f} s  {outcome.name}")
    run = sum(outcome.run for outcome in outcomes)
    skipped = sum(outcome.skipped for outcome in outcomes)
    print(f"{run - len(failed) - skipped} passed, {len(failed)} failed, {skipped} skipped")
    return 1 if failed or not run else 0


def _groups(asked: list[str]) -> list[str]:
    """Names of test classes, slow ones first, and of the modules whose docstrings have examples."""
    loader = unittest.TestLoader()
    suites = [_suite(loader, name) for name in asked or ["tests"]]
    classes = dict.fromkeys(_class_of(test) for suite in suites for test in _tests(suite))
    if loader.errors:
        raise SystemExit("\n".join(loader.errors))
    slow = sorted(classes, key=lambda name: not name.startswith(SLOW_FIRST))
    return slow if asked else [*slow, *(f"{DOCTESTS}{name}" for name in _with_examples())]


def _suite(loader: unittest.TestLoader, name: str) -> unittest.TestSuite:
    folder = ROOT.joinpath(*name.split("."))
    if folder.is_dir():
        return loader.discover(str(folder), pattern="test_*.py", top_level_dir=str(ROOT))
    return loader.loadTestsFromName(name)


def _tests(suite: unittest.TestSuite):
    for part in suite:
        if isinstance(part, unittest.TestSuite):
            yield from _tests(part)
        else:
            yield part


def _class_of(test: unittest.TestCase) -> str:
    return f"{type(test).__module__}.{type(test).__qualname__}"


def _with_examples() -> list[str]:
    named = walk_packages(mirvo.__path__, "mirvo.")
    files = {one.name: ROOT.joinpath(*one.name.split(".")).with_suffix(".py") for one in named}
    return [name for name, file in files.items() if file.exists() and ">>> " in file.read_text()]


def _run(groups: list[str], data: str) -> list[Outcome]:
    # A browser test waits for its page much of the time, so there is one more than cores.
    workers = min(len(groups), 1 + len(os.sched_getaffinity(0)))
    spawn = get_context("spawn")
    with ProcessPoolExecutor(workers, mp_context=spawn) as pool:
        futures = [pool.submit(run_group, name, data) for name in groups]
        return [future.result() for future in futures]


def run_group(name: str, data: str) -> Outcome:
    """Run one group in this process."""
    began = time.monotonic()
    # As in the server, so that no test meets what the server does not.
    if gc.isenabled():
        collect_beside()
    suite = unittest.TestSuite()
    # Lines that run once, on import, are counted with the first group that needs them.
    with _watched_for_coverage(data):
        if name.startswith(DOCTESTS):
            suite.addTest(doctest.DocTestSuite(import_module(name.removeprefix(DOCTESTS))))
        else:
            suite.addTest(unittest.defaultTestLoader.loadTestsFromName(name))
    report = io.StringIO()
    with warnings.catch_warnings():
        # What is going away is mended now, not when it is gone.
        for module in ("mirvo", "tests"):
            warnings.filterwarnings("error", category=DeprecationWarning, module=module)
        runner = unittest.TextTestRunner(report, verbosity=0, warnings=None)
        watched = nullcontext() if name.startswith(NOT_WATCHED) else _watched_for_coverage(data)
        with watched:
            result = runner.run(suite)
    broken = [*result.failures, *result.errors, *((one, "") for one in result.unexpectedSuccesses)]
    failed = {getattr(test, "test_case", test).id() for test, _ in broken}
    seconds = time.monotonic() - began
    skipped, text = len(result.skipped), report.getvalue() if failed else ""
    return Outcome(name, max(result.testsRun, len(failed)), tuple(failed), skipped, text, seconds)


_watched: list[coverage.Coverage] = []


@contextmanager
def _watched_for_coverage(data: str) -> Iterator[None]:
    """Count the lines that run within; without a place for the counts nothing is counted."""
    if not data:
        yield
        return
    if not _watched:
        _watched.append(coverage.Coverage(data, data_suffix=True, source=["mirvo"]))
    _watched[0].start()
    try:
        yield
    finally:
        _watched[0].stop()
        _watched[0].save()


def _print_coverage(data: str) -> None:
    whole = coverage.Coverage(data, source=["mirvo"])
    whole.combine([str(Path(data).parent)])
    out = io.StringIO()
    share = whole.report(file=out, skip_covered=True, show_missing=False)
    least = sorted(out.getvalue().splitlines()[2:-3], key=lambda line: line.split()[-1:])
    print(f"{share:.0f}% of the lines are run by tests; files with the fewest:")
    by_share = sorted((line for line in least if "%" in line), key=_percent)
    for line in by_share[:5]:
        print(f"  {line}")


def _percent(line: str) -> float:
    return float(line.split()[-1].rstrip("%"))
