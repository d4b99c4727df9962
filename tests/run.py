"""Runs every test, module by module on all cores, then those of real windows alone, and closes with a plain count.

Arguments are names of test modules, which then run one after another in this process.
"""

import os
import re
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

HOME = Path(__file__).resolve().parent.parent
REAL = "tests.ui.test_real_"
"""Keys pressed on a real window go to whichever has the focus: these run one at a time, beside nothing else."""

COUNT = re.compile(r"^(\d+) passed, (\d+) failed, (\d+) skipped$", re.MULTILINE)


def run_here(names: list[str]) -> tuple[int, int, int]:
    """Run some modules; gives how many passed, failed and were skipped."""
    suite = unittest.TestLoader().loadTestsFromNames(names)
    result = unittest.TextTestRunner(verbosity=1, warnings="error").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    for test, why in result.skipped:
        print(f"skipped {test}: {why}")
    return result.testsRun - failed - len(result.skipped), failed, len(result.skipped)


def run_apart(name: str) -> tuple[int, int, int]:
    """Run a module in a process of its own; one that dies, or holds no test, counts as failed."""
    begun = time.monotonic()
    done = subprocess.run([sys.executable, __file__, name], capture_output=True, text=True, errors="replace")
    count = COUNT.search(done.stdout)
    passed, failed, skipped = map(int, count.groups()) if count else (0, 1, 0)
    if done.returncode and not failed:
        failed = 1
    print(f"{name}: {passed} passed, {failed} failed, {skipped} skipped, {time.monotonic() - begun:.0f} s", flush=True)
    if failed or skipped:
        print(done.stdout, done.stderr, f"ended with {done.returncode}", sep="\n", flush=True)
    return passed, failed, skipped


def main() -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.path.insert(0, str(HOME))
    os.chdir(HOME)
    if names := sys.argv[1:]:
        counts = [run_here(names)]
    else:
        files = sorted((HOME / "tests").rglob("test_*.py"), key=lambda path: -path.stat().st_size)
        names = [".".join(path.relative_to(HOME).with_suffix("").parts) for path in files]
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            counts = list(pool.map(run_apart, [name for name in names if not name.startswith(REAL)]))
        counts += [run_apart(name) for name in names if name.startswith(REAL)]
    passed, failed, skipped = (sum(c[n] for c in counts) for n in range(3))
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 0 if passed and not failed else 1


if __name__ == "__main__":
    sys.exit(main())
