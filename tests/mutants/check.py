"""Runs tests against a checkout in which a rule is broken; kernels work as plain Python, so that nothing is compiled.

Ends with 0 where all pass, with 1 where one fails, and names it.
"""

from __future__ import annotations

import doctest
import importlib
import os
import sys
import unittest
from pathlib import Path

from ruvex.engine import work_plainly

FAILED = 1


def suite_of(name: str) -> unittest.TestSuite:
    """Load tests by the name of a module, or with ``doctest:`` before it the examples of one."""
    kind, _, module = name.rpartition(":")
    if kind:
        return doctest.DocTestSuite(importlib.import_module(module))
    return unittest.TestLoader().loadTestsFromName(module)


def main(names: list[str]) -> int:
    """Run tests until one fails."""
    if "--compiled" in names:
        names.remove("--compiled")
    else:
        work_plainly()
    with Path(os.devnull).open("w", encoding="utf-8") as nowhere:
        runner = unittest.TextTestRunner(stream=nowhere, failfast=True)
        result = runner.run(unittest.TestSuite(suite_of(name) for name in names))
    for test, _ in [*result.failures, *result.errors]:
        print(test.id())
    return 0 if result.wasSuccessful() else FAILED


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
