"""Breaks rules one at a time, each in a copy of the checkout, and tells which no test notices: docs/CONTRIBUTING.md."""

from __future__ import annotations

import argparse
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

from tests.demo import ROOT
from tests.mutants.rule import Rule
from tests.mutants.rules import RULES

_COPIED = ("src", "tests", "scripts", "docs", "demo", "share", "pyproject.toml", "README.md")
_LONGEST_S = 400.0
"""Tests that take longer have met a loop without an end."""


class Copy:
    """A copy of the checkout in which rules are broken, one after the other."""

    def __init__(self, folder: Path) -> None:
        self._root = folder
        for name in _COPIED:
            source = ROOT / name
            if source.is_dir():
                shutil.copytree(source, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
            else:
                shutil.copy(source, folder / name)

    def noticed_by(self, rule: Rule, rest: list[str]) -> str:
        """Break a rule, and give the test that notices, nothing where none does; then mend it."""
        path = self._root / "src" / "ruvex" / rule.path
        text = path.read_text(encoding="utf-8")
        path.write_text(text.replace(rule.text, rule.broken), encoding="utf-8")
        try:
            examples = f"doctest:ruvex.{rule.path.removesuffix('.py').replace('/', '.')}"
            for name in (examples, *(f"tests.{name}" for name in rule.near)):
                # What is no kernel leaves the compiled ones as they are.
                found = self._run([name, *([] if rule.path.startswith("engine/") else ["--compiled"])])
                if found:
                    return found
            return self._run(["--compiled", *rest]) if rest else ""
        finally:
            path.write_text(text, encoding="utf-8")

    def _run(self, names: list[str]) -> str:
        environment = os.environ | {
            "PYTHONPATH": f"{self._root / 'src'}:{self._root}", "QT_QPA_PLATFORM": "offscreen",
            "PYTHONDONTWRITEBYTECODE": "1",
        }  # fmt: skip
        command = [sys.executable, "-m", "tests.mutants.check", *names]
        try:
            done = subprocess.run(
                command, cwd=self._root, env=environment, capture_output=True, text=True, check=False,
                timeout=_LONGEST_S if len(names) <= 2 else None,
            )  # fmt: skip
        except subprocess.TimeoutExpired:
            return f"{names[0]} does not end"
        if done.returncode == 0:
            return ""
        return (done.stdout + done.stderr).strip().splitlines()[0]


def modules() -> list[str]:
    """Name all modules of tests but those that look at the code itself."""
    found = sorted((ROOT / "tests").rglob("test_*.py"))
    names = [str(path.relative_to(ROOT).with_suffix("")).replace("/", ".") for path in found]
    return [name for name in names if name not in ("tests.test_architecture", "tests.mutants.test_rules")]


def main() -> int:
    """Break all rules, or those that are named in part; gives 1 if one survives."""
    parser = argparse.ArgumentParser(prog="scripts/mutants", description=__doc__)
    parser.add_argument("words", nargs="*", help="only rules, or files, with one of these words")
    parser.add_argument(
        "--near", action="store_true", help="do not run the rest of the suite where the tests near pass"
    )
    options = parser.parse_args()
    left = [rule for rule in RULES if not options.words or any(w in f"{rule.name} {rule.path}" for w in options.words)]
    count, survivors, lock, begun = len(left), list[Rule](), threading.Lock(), time.monotonic()
    rest = [] if options.near else modules()

    def take() -> None:
        with tempfile.TemporaryDirectory() as folder:
            copy = Copy(Path(folder))
            while True:
                with lock:
                    if not left:
                        return
                    rule = left.pop(0)
                noticed = copy.noticed_by(rule, rest)
                with lock:
                    if not noticed:
                        survivors.append(rule)
                    print(
                        f"{'survives' if not noticed else 'noticed'}: {rule.name} ({rule.path}) {noticed}", flush=True
                    )

    threads = [threading.Thread(target=take) for _ in range(len(os.sched_getaffinity(0)))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    print(f"{count} rules broken, {len(survivors)} survive, {(time.monotonic() - begun) / 60:.0f} minutes", flush=True)
    return 1 if survivors else 0


if __name__ == "__main__":
    sys.exit(main())
