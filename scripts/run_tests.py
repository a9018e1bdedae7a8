"""Runs ruff, mypy, the doctests and every unittest, and ends with one line that counts them."""

from __future__ import annotations

import doctest
import faulthandler
import gc
import importlib
import io
import json
import os
import pkgutil
import queue
import re
import resource
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Mapping
from dataclasses import astuple, dataclass
from pathlib import Path
from typing import TextIO

ROOT = Path(__file__).resolve().parents[1]
CHECKS = {
    "ruff check": ["ruff", "check", "."],
    "ruff format": ["ruff", "format", "--check", "."],
    "mypy": ["mypy"],
}
SLOWEST_SHOWN = 8
TIMES = ROOT / ".venv" / "test-times.txt"
"""The CPU seconds of each test, the longest first."""
DOCTESTS = "doctests"
TABLE = ROOT / "docs" / "CONTRIBUTING.md"
"""Where the CPU seconds of each module stand: what takes long begins first, and who makes one slower sees it."""
_ROW = re.compile(r"^\| `((?:tests\.|doctests)[\w.]*)` \| (\d+) \|$", re.MULTILINE)
_LEAST_S = 5
"""Modules of less stand in the table together."""
_MOST_READ = 8000
_FULL_S = 3600
"""So long each of ``LONG`` goes on."""
LONG = {
    "laws on whole plans": ["tests.torture", "--laws"],
    "the window against the ledger": ["tests.torture", "--window"],
    "random walks in the window": ["tests.monkey"],
    "damaged inputs and killed writers": ["tests.torture"],
}
"""What is searched for a long time on new seeds, in ``--full`` only."""


def cpu_seconds() -> float:
    """Give the CPU time of this process and of those that it has waited for: other work on the machine adds nothing."""
    used = [resource.getrusage(of) for of in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(one.ru_utime + one.ru_stime for one in used)


class TimedResult(unittest.TextTestResult):
    """Remembers how long each test took and how many passed."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        self.seconds: list[tuple[float, str]] = []
        self.passed = 0
        self._started = 0.0

    def startTest(self, test: unittest.TestCase) -> None:
        """Start the clock."""
        self._started = cpu_seconds()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        """Stop the clock."""
        self.seconds.append((cpu_seconds() - self._started, test.id()))
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


def modules_of_tests() -> list[str]:
    """Name what is run, a module or the examples in docstrings at a time; what took long, or is new, comes first."""
    names = [
        ".".join(path.relative_to(ROOT).with_suffix("").parts) for path in sorted((ROOT / "tests").rglob("test_*.py"))
    ]
    seconds = {name: int(took) for name, took in _ROW.findall(TABLE.read_text(encoding="utf-8"))}
    return sorted([*names, DOCTESTS], key=lambda name: -seconds.get(name, 0))


def write_table(seconds: Mapping[str, float]) -> None:
    """Write what each module took into the table."""
    long = sorted(((took, name) for name, took in seconds.items() if took >= _LEAST_S), reverse=True)
    rest = sum(took for took in seconds.values() if took < _LEAST_S)
    rows = "".join(f"| `{name}` | {took:.0f} |\n" for took, name in long)
    rows += f"| {len(seconds) - len(long)} others | {rest:.0f} |\n| all | {sum(seconds.values()):.0f} |\n"
    head = "| module | CPU, s |\n|---|---|\n"
    before, _, after = TABLE.read_text(encoding="utf-8").partition(head)
    _, _, after = after.partition("\n\n")
    TABLE.write_text(f"{before}{head}{rows}\n{after}".rstrip("\n") + "\n", encoding="utf-8")


def run_suite(suite: unittest.TestSuite, said: TextIO) -> tuple[Counts, list[tuple[float, str]]]:
    """Run tests; gives what came of them and how long each took."""
    result = unittest.TextTestRunner(said, verbosity=1, resultclass=TimedResult, warnings="error").run(suite)
    assert isinstance(result, TimedResult)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return Counts(result.passed + len(result.expectedFailures), failed, len(result.skipped)), result.seconds


def suite_of(name: str) -> unittest.TestSuite:
    """Load the tests of a module, or the examples in docstrings."""
    return doctests() if name == DOCTESTS else unittest.TestLoader().loadTestsFromName(name)


def load_all() -> None:
    """Load what tests need, so that each module's process has it from the start."""
    import PyQt6.QtDBus
    import PyQt6.QtTest

    import ruvex
    from ruvex.cores import prepare

    assert PyQt6.QtTest is not None
    assert PyQt6.QtDBus is not None
    for module in pkgutil.walk_packages(ruvex.__path__, "ruvex."):
        if not module.name.endswith("__main__"):
            importlib.import_module(module.name)
    prepare()
    # What has come to stay need not be looked at in each collection of the tests.
    gc.collect()
    gc.freeze()


def work() -> None:
    """Run each module named on standard input in a process of its own, and answer with a line of JSON.

    A process that is forked off one that has loaded everything begins at once: alone, loading takes some four seconds.
    """
    faulthandler.enable()
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)  # what a test prints is no answer
    load_all()
    for line in sys.stdin:
        name, _, heard = line.rstrip("\n").partition("\t")
        reading, writing = os.pipe()
        child = os.fork()
        if child == 0:
            os.close(reading)
            errors = os.open(heard, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            os.dup2(errors, 1)
            os.dup2(errors, 2)
            said = io.StringIO()
            counts, seconds = run_suite(suite_of(name), said)
            with os.fdopen(writing, "w") as answer:
                answer.write(json.dumps([astuple(counts), seconds, said.getvalue() if counts.failed else ""]))
            # Threads and windows that are left would be taken apart in any order: the tests are over.
            os._exit(0)
        os.close(writing)
        with os.fdopen(reading) as answer:
            told = answer.read()
        _, status, used = os.wait4(child, 0)
        answers.write(json.dumps([told, status, used.ru_utime + used.ru_stime]) + "\n")
        answers.flush()


@dataclass(frozen=True)
class Done:
    """What came of a module: counts, what each test took, what is to be read, and its CPU time, s."""

    counts: Counts
    seconds: list[tuple[float, str]]
    said: str
    cpu_s: float


class Worker:
    """A process that has loaded everything, and runs one module after the other, each in a process forked off it."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._process = self._begun()

    def _begun(self) -> subprocess.Popen[str]:
        command = [sys.executable, __file__, "--worker"]
        return subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)

    def run(self, name: str) -> Done:
        """Run a module; gives what came of it."""
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        heard = self._folder / f"{name}.txt"
        self._process.stdin.write(f"{name}\t{heard}\n")
        self._process.stdin.flush()
        answer = self._process.stdout.readline()
        if not answer:
            # A module of which nothing is known has failed; the next one has a new process.
            status, self._process = self._process.wait(), self._begun()
            return Done(Counts(0, 1, 0), [], f"{name}: what it is forked off ended, status {status}", 0.0)
        told, status, cpu_s = json.loads(answer)
        if status == 0:
            counts, seconds, said = json.loads(told)
            return Done(Counts(*counts), [(took, test) for took, test in seconds], said, cpu_s)
        end = heard.read_text(errors="replace")[-_MOST_READ:]
        return Done(Counts(0, 1, 0), [], f"{name}: ended before its end, status {status}\n{end}", cpu_s)

    def end(self) -> None:
        """Let the process go."""
        self._process.communicate()


def run_everything(*, is_measured: bool = False) -> Counts:
    """Run all modules in as many processes as there are processors, and print what failed and what took long.

    Parameters
    ----------
    is_measured
        Whether what each took is written down in ``TABLE``.
    """
    waiting, seconds, by_module = queue.SimpleQueue[str](), list[tuple[float, str]](), dict[str, float]()
    total, lock = Counts(0, 0, 0), threading.Lock()
    for name in modules_of_tests():
        waiting.put(name)

    def take(worker: Worker) -> None:
        nonlocal total
        while True:
            try:
                name = waiting.get_nowait()
            except queue.Empty:
                return worker.end()
            done = worker.run(name)
            with lock:
                total = total.plus(done.counts)
                seconds.extend(done.seconds)
                by_module[name] = done.cpu_s
                print(f"{name}: {done.counts.passed} passed, {done.cpu_s:.0f} s of CPU", flush=True)
                if done.said:
                    print(done.said, flush=True)

    with tempfile.TemporaryDirectory() as folder:
        threads = [
            threading.Thread(target=take, args=(Worker(Path(folder)),)) for _ in range(len(os.sched_getaffinity(0)))
        ]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    tell_slowest(seconds)
    if is_measured:
        write_table(by_module)
    return total


def run_long(seconds: int) -> Counts:
    """Search on seeds of this time, as many at once as there are processors; each search counts as one."""
    seed, failed = int(time.time()), 0
    print(f"for {seconds} s each, seed {seed}", flush=True)
    left, lock = list(LONG), threading.Lock()

    def take() -> None:
        nonlocal failed
        while True:
            with lock:
                if not left:
                    return
                name = left.pop(0)
            command = [sys.executable, "-m", *LONG[name], "--seconds", str(seconds), "--seed", str(seed)]
            done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
            with lock:
                failed += done.returncode != 0
                print(f"{name}: {'FAILED' if done.returncode else 'ok'}", flush=True)
                print((done.stdout + done.stderr)[-_MOST_READ:], flush=True)

    threads = [threading.Thread(target=take) for _ in range(len(os.sched_getaffinity(0)))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return Counts(len(LONG) - failed, failed, 0)


def tell_slowest(seconds: list[tuple[float, str]]) -> None:
    """Print which tests took longest, and write down all."""
    TIMES.write_text("".join(f"{s:8.2f} {n}\n" for s, n in sorted(seconds, reverse=True)))
    print("Slowest:", ", ".join(f"{s:.1f} s {n}" for s, n in sorted(seconds, reverse=True)[:SLOWEST_SHOWN]))


def main(names: list[str]) -> int:
    """Run everything, or only the named modules of tests; with ``--full`` long searches too. Gives the exit status."""
    sys.path.insert(0, str(ROOT))
    is_measured = names == ["--times"]
    if is_measured:
        names = []
    if names == ["--worker"]:
        work()
        return 0
    if names[:1] == ["--full"]:
        os.environ["RUVEX_TESTS"] = "full"
        counts = run_checks().plus(run_everything()).plus(run_long(int(names[1]) if len(names) > 1 else _FULL_S))
    elif names:
        counts, seconds = run_suite(unittest.TestLoader().loadTestsFromNames(names), sys.stderr)
        tell_slowest(seconds)
    else:
        counts = run_checks().plus(run_everything(is_measured=is_measured))
    print(f"{counts.passed} passed, {counts.failed} failed, {counts.skipped} skipped", flush=True)
    return 1 if counts.failed or counts.passed == 0 else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
