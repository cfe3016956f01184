"""Runs the tests and closes with one line that counts them."""

import sys
import unittest
import warnings
from pathlib import Path


def main() -> int:
    names = sys.argv[1:]
    loader = unittest.TestLoader()
    root = Path(__file__).parent
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(root), pattern="test_*.py", top_level_dir=str(root.parent))
    )
    warnings.simplefilter("error", DeprecationWarning)
    result = unittest.TextTestRunner(verbosity=1, warnings="default").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped
    print(f"{passed} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or not result.testsRun else 0


if __name__ == "__main__":
    sys.exit(main())
