"""Runs ruff, mypy, the doctests and every unittest, and ends with one line that counts them."""

from __future__ import annotations

import doctest
import importlib
import json
import pkgutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
CHECKS = {
    "ruff check": ["ruff", "check", "."],
    "ruff format": ["ruff", "format", "--check", "."],
    "mypy": ["mypy"],
}
SLOWEST_SHOWN = 8
PARTS = ("window", "others")
_FIRST = (".desktop.", ".torture.", ".monkey.")


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


@dataclass(frozen=True)
class Counts:
    """What came of some tests."""

    passed: int
    failed: int
    skipped: int

    def plus(self, other: Counts) -> Counts:
        """Give both together."""
        return Counts(self.passed + other.passed, self.failed + other.failed, self.skipped + other.skipped)


def run_checks() -> Counts:
    """Run the static checks."""
    failed = 0
    for name, command in CHECKS.items():
        done = subprocess.run([sys.executable, "-m", *command], cwd=ROOT, capture_output=True, text=True, check=False)
        print(f"{name}: {'ok' if done.returncode == 0 else 'FAILED'}", flush=True)
        if done.returncode:
            failed += 1
            print(done.stdout + done.stderr)
    return Counts(len(CHECKS) - failed, failed, 0)


def doctests() -> unittest.TestSuite:
    """Collect the examples in the docstrings of the package."""
    import ruvex

    suite = unittest.TestSuite()
    for module in pkgutil.walk_packages(ruvex.__path__, "ruvex."):
        if not module.name.endswith("__main__"):
            suite.addTests(doctest.DocTestSuite(importlib.import_module(module.name)))
    return suite


def suite_of(part: str) -> unittest.TestSuite:
    """Collect one part of the tests: those of the window and of torture, or all others and the examples in docstrings.

    The two take about as long as each other.
    """
    everything = unittest.TestLoader().discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    is_first = part == PARTS[0]
    tests = [test for test in each(everything) if any(name in test.id() for name in _FIRST) == is_first]
    return unittest.TestSuite(tests if is_first else [*tests, doctests()])


def each(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Give every test of a suite."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from each(test)
        else:
            yield test


def run_suite(suite: unittest.TestSuite) -> Counts:
    """Run tests; gives what came of them."""
    result = unittest.TextTestRunner(verbosity=1, resultclass=TimedResult, warnings="error").run(suite)
    assert isinstance(result, TimedResult)
    print("Slowest:", ", ".join(f"{s:.1f} s {n}" for s, n in sorted(result.seconds, reverse=True)[:SLOWEST_SHOWN]))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Counts(result.passed + len(result.expectedFailures), failed, len(result.skipped))


def run_parts() -> Counts:
    """Run both parts of the tests side by side, each in a process of its own, and print what each says."""
    with tempfile.TemporaryDirectory() as folder:
        jobs = []
        for part in PARTS:
            report = Path(folder) / f"{part}.json"
            command = [sys.executable, __file__, "--part", part, str(report)]
            jobs.append((part, report, subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)))
        total = Counts(0, 0, 0)
        for part, report, job in jobs:
            said, _ = job.communicate()
            print(f"-- {part}\n{said.decode(errors='replace')}", flush=True)
            if report.exists():
                total = total.plus(Counts(*json.loads(report.read_text())))
            else:
                print(f"-- {part}: ended before its end, status {job.returncode}")
                total = total.plus(Counts(0, 1, 0))
    return total


def main(names: list[str]) -> int:
    """Run everything, or only the named test modules; gives the exit status."""
    sys.path.insert(0, str(ROOT))
    if names[:1] == ["--part"]:
        counts = run_suite(suite_of(names[1]))
        Path(names[2]).write_text(json.dumps([counts.passed, counts.failed, counts.skipped]))
        return 0
    counts = run_suite(unittest.TestLoader().loadTestsFromNames(names)) if names else run_checks().plus(run_parts())
    print(f"{counts.passed} passed, {counts.failed} failed, {counts.skipped} skipped", flush=True)
    return 1 if counts.failed or counts.passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
