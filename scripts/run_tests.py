"""Runs ruff, mypy, the doctests and every unittest, and ends with one line that counts them."""

from __future__ import annotations

import doctest
import importlib
import pkgutil
import subprocess
import sys
import time
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CHECKS = {
    "ruff check": ["ruff", "check", "."],
    "ruff format": ["ruff", "format", "--check", "."],
    "mypy": ["mypy"],
}
SLOWEST_SHOWN = 8


class TimedResult(unittest.TextTestResult):
    """Remembers how long each test took and how many passed."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.seconds: list[tuple[float, str]] = []
        self.passed = 0
        self._started = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        """Start the clock."""
        self._started = time.perf_counter()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """Stop the clock."""
        self.seconds.append((time.perf_counter() - self._started, test.id()))
        super().stopTest(test)

    def addSuccess(self, test: unittest.TestCase) -> None:
        """Count it."""
        self.passed += 1
        super().addSuccess(test)


def run_checks() -> tuple[int, int]:
    """Run the static checks; gives how many passed and how many failed."""
    failed = 0
    for name, command in CHECKS.items():
        done = subprocess.run([sys.executable, "-m", *command], cwd=ROOT, capture_output=True, text=True, check=False)
        print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}", flush=True)
        if done.returncode:
            failed += 1
            print(done.stdout + done.stderr)
    return len(CHECKS) - failed, failed


def doctests() -> unittest.TestSuite:
    """Collect the examples in the docstrings of the package."""
    import ruvex

    suite = unittest.TestSuite()
    for module in pkgutil.walk_packages(ruvex.__path__, "ruvex."):
        if not module.name.endswith("__main__"):
            suite.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return suite


def main(names: list[str]) -> int:
    """Run everything, or only the named test modules; gives the exit status."""
    sys.path.insert(0, str(ROOT))
    passed, failed = (0, 0) if names else run_checks()
    loader = unittest.TestLoader()
    if names:
        suite = loader.loadTestsFromNames(names)
    else:
        suite = unittest.TestSuite([loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT)), doctests()])
    result = unittest.TextTestRunner(verbosity=1, resultclass=TimedResult, warnings="error").run(suite)
    assert isinstance(result, TimedResult)
    print(
        "Slowest:",
        ", ".join(f"{s:.1f} s {name}" for s, name in sorted(result.seconds, reverse=True)[:SLOWEST_SHOWN]),
    )
    failed += len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed += result.passed + len(result.expectedFailures)
    print(f"{passed} passed, {failed} failed, {len(result.skipped)} skipped", flush=True)
    return 1 if failed or passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
