"""Runs the tests and closes with one line that counts them."""

import sys
import unittest
import warnings
from pathlib import Path


def main() -> int:
    names = sys.argv[1:]
    loader = unittest.TestLoader()
    root = Path(__file__).parent
    suite = unittest.TestSuite(_named(loader, root, name) for name in names or ["tests"])
    warnings.simplefilter("error", DeprecationWarning)
    result = unittest.TextTestRunner(verbosity=1, warnings="default").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or not result.testsRun else 0


def _named(loader: unittest.TestLoader, root: Path, name: str) -> unittest.TestSuite:
    """The tests of a module, or of everything below a package: `tests.core`."""
    folder = root.parent.joinpath(*name.split("."))
    if folder.is_dir():
        return loader.discover(str(folder), pattern="test_*.py", top_level_dir=str(root.parent))
    return loader.loadTestsFromName(name)


if __name__ == "__main__":
    sys.exit(main())
