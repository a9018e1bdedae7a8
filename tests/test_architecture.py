"""The shape of the code: which package may import which, and what the packages offer."""

from __future__ import annotations

import ast
import inspect
import os
import re
import subprocess
import sys
import unittest
from collections import Counter
from graphlib import TopologicalSorter
from pathlib import Path

import ruvex.advise
import ruvex.divide
import ruvex.exchange
import ruvex.interface
import ruvex.placing
import ruvex.plan
import ruvex.play
import ruvex.promise
import ruvex.proof
import ruvex.site
import ruvex.words
from tests.demo import ROOT

SOURCE = ROOT / "src" / "ruvex"
MAY_IMPORT: dict[str, set[str]] = {
    "plan": set(),
    "engine": set(),
    "site": {"plan", "engine"},
    "divide": {"plan", "engine", "site"},
    "promise": {"plan", "engine", "site", "divide"},
    "placing": {"plan", "engine", "site", "divide", "promise"},
    "play": {"plan", "engine", "site", "divide", "promise", "placing"},
    "cores": {"plan", "engine", "site", "divide", "promise", "placing", "play"},
    "ledger": {"plan", "engine", "site", "divide", "promise", "play"},
    "words": {"plan", "engine", "site", "divide", "promise", "play", "placing", "cores", "ledger"},
    "advise": {"plan", "engine", "site", "divide", "promise", "play", "placing", "cores", "ledger", "words"},
    "proof": {"plan", "engine", "site", "divide"},
    "exchange": {"plan", "engine", "site", "divide", "promise", "play", "placing", "cores", "ledger", "words"},
}
MAY_IMPORT["report"] = {*MAY_IMPORT, "plan"} - {"exchange", "proof"}
CORE = tuple(MAY_IMPORT)
MAY_IMPORT["interface"] = set(MAY_IMPORT)
MAY_IMPORT |= {"mishaps": set(), "cli": {*CORE, "desktop", "mishaps"}, "desktop": {*CORE, "mishaps"}}
DESKTOP_MAY_IMPORT: dict[str, set[str]] = {
    "kit": set(),
    "state": set(),
    "panels": {"kit", "state"},
    "views": {"kit", "state", "panels"},
    "sheets": {"kit", "state", "panels"},
    "shell": {"kit", "state", "panels", "views", "sheets"},
}
MOST_LINES = 500
READS_ITSELF = {("interface/_site.py", ".unmet")}
"""What scripts may ask for by its old name, which is told apart from what is lacking."""
EDITS_POWER = {
    "cli/_admit.py", "cli/_check.py", "desktop/panels/dials.py", "desktop/state/editing.py", "desktop/state/steps.py",
}  # fmt: skip
"""Who asks whether a guest is told to be on: to switch it, and to say that it is not although it is told to be."""


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

    def test_what_is_lacking_is_read_off_the_ledger(self) -> None:
        """Nobody else takes what is had from what is wanted, splits it into parts, or adds it up over rows."""
        told = []
        for package in ("words", "advise", "report", "interface", "cli", "desktop"):
            for path in sorted((SOURCE / package).rglob("*.py")):
                found = re.findall(
                    r"unmet_of_guests|wanted_of_guests|summed_by_row|pool_sums|parts_of_guests|\bparts_of\(|"
                    r"(?<!bar)(?<!parts)\.unmet\b|\.ops_wanted\b|\.net_wanted\b|M_NEED|M_MET|SHORT_PART|"
                    r"(?:wanted|need)\w*(?:\[.*?\])?\)? - \S*(?:had|got|met|delivered|given|backed|lack)\w*|"
                    r"1(?:\.0)? - met",
                    path.read_text(encoding="utf-8"),
                )
                name = str(path.relative_to(SOURCE))
                told += [f"{name}: {one}" for one in found if (name, one) not in READS_ITSELF]
        self.assertEqual(told, [])

    def test_where_a_guest_is_and_whether_it_is_on_the_standing_says(self) -> None:
        """What the plan says is a wish: one without a host is put on some, one on a host that is down is not on."""
        told = []
        for package in ("words", "advise", "report", "interface", "cli", "desktop"):
            for path in sorted((SOURCE / package).rglob("*.py")):
                text = path.read_text(encoding="utf-8")
                if "plan.host_of(" in text or (
                    ".is_powered" in text and str(path.relative_to(SOURCE)) not in EDITS_POWER
                ):
                    told.append(str(path.relative_to(SOURCE)))
        self.assertEqual(told, [])

    def test_arrows_go_one_way(self) -> None:
        """Each package imports only those below it, and of another package only its root."""
        for path in sorted(SOURCE.rglob("*.py")):
            package = path.relative_to(SOURCE).parts[0].removesuffix(".py")
            for name in imports_of(path):
                parts = name.split(".")
                if parts[0] == "ruvex" and len(parts) > 1 and parts[1] != package and package in MAY_IMPORT:
                    with self.subTest(file=str(path), imports=name):
                        self.assertIn(parts[1], MAY_IMPORT[package])
                        self.assertIn(
                            name,
                            (f"ruvex.{parts[1]}", "ruvex.engine.rows", "ruvex.engine.turn_rows"),
                            "import it from the root",
                        )

    def test_arrows_go_one_way_inside_the_desktop(self) -> None:
        """Kit and state know nothing of the window, panels know those two, views and sheets panels, the shell all."""
        desktop = SOURCE / "desktop"
        for path in sorted(desktop.rglob("*.py")):
            part = path.relative_to(desktop).parts[0]
            for name in imports_of(path):
                names = name.split(".")
                if part in DESKTOP_MAY_IMPORT and names[:2] == ["ruvex", "desktop"]:
                    with self.subTest(file=str(path), imports=name):
                        self.assertIn(names[2], {part} | DESKTOP_MAY_IMPORT[part])

    def test_no_circles(self) -> None:
        """No module imports one that imports it back, over however many others, not even for types."""
        paths = {
            ".".join(path.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__"): path
            for path in SOURCE.rglob("*.py")
        }
        graph: dict[str, set[str]] = {name: set() for name in paths}
        for name, path in paths.items():
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.ImportFrom) and node.module is not None:
                    # What is taken from a package may be a module of it.
                    whole = {f"{node.module}.{alias.name}" for alias in node.names}
                    graph[name] |= {one if one in paths else node.module for one in whole}
                elif isinstance(node, ast.Import):
                    graph[name] |= {alias.name for alias in node.names}
        # Raises CycleError, which names the circle.
        known = {name: {one for one in found if one in paths and one != name} for name, found in graph.items()}
        self.assertEqual(len(list(TopologicalSorter(known).static_order())), len(paths))

    def test_views_know_nothing_of_each_other(self) -> None:
        """Adding, changing or taking away a view touches no other."""
        views = SOURCE / "desktop" / "views"
        for path in sorted(views.rglob("*.py")):
            view = path.relative_to(views).parts[0]
            for name in imports_of(path):
                names = name.split(".")
                if names[:3] == ["ruvex", "desktop", "views"] and len(names) > 3:
                    with self.subTest(file=str(path), imports=name):
                        self.assertEqual(names[3], view)

    def test_the_kit_knows_no_plan(self) -> None:
        """Theme, fields, bars and notices could serve any program."""
        for path in sorted((SOURCE / "desktop" / "kit").rglob("*.py")):
            found = [n for n in imports_of(path) if n.startswith("ruvex") and not n.startswith("ruvex.desktop.kit")]
            self.assertEqual(found, [], str(path))

    def test_state_knows_no_widget(self) -> None:
        """What is shown and changed can be tried without a window; the clipboard alone belongs to the application."""
        for path in sorted((SOURCE / "desktop" / "state").rglob("*.py")):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.ImportFrom) and node.module == "PyQt6.QtWidgets":
                    self.assertLessEqual({alias.name for alias in node.names}, {"QApplication"}, str(path))

    def test_commands_and_window_do_not_wait_for_the_compiler(self) -> None:
        """Importing any package loads no compiler; only what calls a kernel does."""
        packages = ", ".join(f"ruvex.{name}" for name in (*CORE, "cli", "desktop.shell.window"))
        code = f"import sys, {packages}\nprint([m for m in ('numba', 'llvmlite') if m in sys.modules])"
        done = subprocess.run(
            [sys.executable, "-c", code], capture_output=True, text=True, check=True,
            env=os.environ | {"QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        self.assertEqual(done.stdout.strip(), "[]")

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

    def test_the_window_is_small_and_knows_no_page(self) -> None:
        """Whoever adds a page or a view does not touch it."""
        text = (SOURCE / "desktop" / "shell" / "window.py").read_text(encoding="utf-8")
        self.assertLess(len(text.splitlines()), 300)
        self.assertEqual(re.findall(r"import \w*(?:Page|View)\b", text.replace("Bench, View", "")), [])

    def test_public_names_exist_and_are_sorted(self) -> None:
        """What a core package offers is there, documented, and listed in order."""
        parts = (
            ruvex.plan,
            ruvex.site,
            ruvex.divide,
            ruvex.promise,
            ruvex.play,
            ruvex.placing,
            ruvex.advise,
            ruvex.exchange,
        )
        for package in parts:
            names = package.__all__
            self.assertEqual(names, sorted(names, key=lambda n: (not n.isupper(), not n[0].isupper(), n)))
            for name in names:
                thing = getattr(package, name)
                if inspect.isclass(thing) or inspect.isroutine(thing):
                    self.assertTrue(thing.__doc__, name)

    def test_packages_are_packages(self) -> None:
        """None can be called: a reader takes ``ruvex.divide`` for the package that it is."""
        packages = [module for name, module in sys.modules.items() if name.startswith("ruvex")]
        self.assertGreater(len(packages), 20)
        self.assertEqual([module.__name__ for module in packages if callable(module)], [])

    def test_a_public_class_name_stands_once(self) -> None:
        """One name, one concept, over all packages."""
        stands = Counter(
            node.name
            for path in SOURCE.rglob("*.py")
            for node in ast.parse(path.read_text(encoding="utf-8")).body
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_")
        )
        self.assertEqual([name for name, count in stands.items() if count > 1], [])

    def test_sections_that_are_cited_exist(self) -> None:
        """Every section of the model that code or tests cite by its number is a heading of docs/model.md."""
        model = (ROOT / "docs" / "model.md").read_text(encoding="utf-8")
        there = set(re.findall(r"^## ([0-9]+)\.", model, flags=re.MULTILINE))
        cited = 0
        for folder in (SOURCE, ROOT / "tests"):
            for path in sorted(folder.rglob("*.py")):
                for found in re.findall(r"[Ss]ections? ([0-9]+(?:(?:, | and | to )[0-9]+)*)", path.read_text("utf-8")):
                    for number in re.findall("[0-9]+", found):
                        cited += 1
                        self.assertIn(number, there, f"{path.name} cites section {number}")
        self.assertGreater(cited, 20)

    def test_documents_name_what_exists(self) -> None:
        """Every file that the README and the docs link to is in the checkout."""
        for page in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
            for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / link).exists(), f"{page.name} links to {link}")
