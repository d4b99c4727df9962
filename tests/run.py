"""Runs every test and closes with a plain count. Arguments are names of test modules, none means all."""

import os
import sys
import unittest
from pathlib import Path

HOME = Path(__file__).resolve().parent.parent


def main() -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.path.insert(0, str(HOME))
    os.chdir(HOME)
    loader = unittest.TestLoader()
    names = sys.argv[1:]
    suite = loader.loadTestsFromNames(names) if names else loader.discover("tests", top_level_dir=str(HOME))
    result = unittest.TextTestRunner(verbosity=1, warnings="error").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    for test, why in result.skipped:
        print(f"skipped {test}: {why}")
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped")
    return 0 if result.testsRun and not failed else 1


if __name__ == "__main__":
    sys.exit(main())
