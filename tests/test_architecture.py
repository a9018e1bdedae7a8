"""The shape of the code: which package may import which, and what the packages offer."""

from __future__ import annotations

import ast
import inspect
import re
import unittest
from pathlib import Path

import ruvex.divide
import ruvex.plan

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "ruvex"
CORE = ("plan", "divide", "play", "advise", "exchange")
MAY_IMPORT = {
    "plan": set(),
    "divide": {"plan"},
    "play": {"plan", "divide"},
    "advise": {"plan", "divide", "play"},
    "exchange": {"plan", "divide", "play", "advise"},
    "cli": {*CORE, "desktop"},
    "desktop": {*CORE},
}
MOST_LINES = 500


def imports_of(path: Path) -> list[str]:
    """Give the dotted names of all modules that a file imports, wherever in it."""
    names: list[str] = []
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            assert node.level == 0, f"{path}: relative import"
            names += [node.module or ""]
    return names


class Architecture(unittest.TestCase):
    """The arrows of the architecture, read from the imports themselves."""

    def test_arrows_go_one_way(self) -> None:
        """Each package imports only those below it, and of another package only its root."""
        for path in sorted(SOURCE.rglob("*.py")):
            package = path.relative_to(SOURCE).parts[0].removesuffix(".py")
            for name in imports_of(path):
                parts = name.split(".")
                if parts[0] == "ruvex" and len(parts) > 1 and parts[1] != package and package in MAY_IMPORT:
                    with self.subTest(file=str(path), imports=name):
                        self.assertIn(parts[1], MAY_IMPORT[package])
                        self.assertEqual(len(parts), 2, "import it from the package's root")

    def test_core_is_free_of_interface_code(self) -> None:
        """The core imports neither Qt nor typer nor rich, and the plan no NumPy."""
        for package in CORE:
            forbidden = {"PyQt6", "typer", "rich", "pyqtgraph"} | ({"numpy"} if package == "plan" else set())
            for path in sorted((SOURCE / package).rglob("*.py")):
                found = {name.split(".")[0] for name in imports_of(path)} & forbidden
                self.assertEqual(found, set(), str(path))

    def test_modules_stay_small(self) -> None:
        """A module has one subject: none grows beyond 500 lines."""
        for path in sorted(SOURCE.rglob("*.py")):
            self.assertLessEqual(len(path.read_text(encoding="utf-8").splitlines()), MOST_LINES, str(path))

    def test_public_names_exist_and_are_sorted(self) -> None:
        """What a core package offers is there, documented, and listed in order."""
        for package in (ruvex.plan, ruvex.divide):
            names = package.__all__
            self.assertEqual(names, sorted(names, key=lambda n: (not n.isupper(), not n[0].isupper(), n)))
            for name in names:
                thing = getattr(package, name)
                if inspect.isclass(thing) or inspect.isroutine(thing):
                    self.assertTrue(thing.__doc__, name)

    def test_documents_name_what_exists(self) -> None:
        """Every file that the README and the docs link to is in the checkout."""
        for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
            for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / link).exists(), f"{page.name} links to {link}")
