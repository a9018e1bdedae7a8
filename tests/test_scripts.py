"""The two commands and the pictures, run from outside."""

from __future__ import annotations

import importlib.util
import os
import re
import struct
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.demo import DEMO, ROOT


def run(*command: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """Run a command without a screen."""
    settings = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}
    return subprocess.run(
        command, capture_output=True, text=True, check=False, timeout=120, env=settings | environment, cwd=ROOT
    )


class Scripts(unittest.TestCase):
    """What a person without a screen gets."""

    def setUp(self) -> None:
        """Make a folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def size_of(self, picture: Path) -> tuple[int, int]:
        """Read a PNG's size from its head."""
        head = picture.read_bytes()[:24]
        self.assertEqual(head[:8], b"\x89PNG\r\n\x1a\n")
        width, height = struct.unpack(">II", head[16:24])
        return width, height

    def test_picture(self) -> None:
        """A picture is taken at the size asked for; a plan that cannot be used is told."""
        target = self.folder / "a.png"
        module = (sys.executable, "-m", "ruvex.desktop.shell.picture")
        done = run(
            *module,
            str(DEMO),
            str(target),
            "--size",
            "1024x700",
            "--look",
            "dark",
            "--select",
            "mail",
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertEqual(self.size_of(target), (1024, 700))
        done = run(*module, str(self.folder / "none.json"), str(target))
        self.assertEqual(done.returncode, 2)
        self.assertIn("No such file", done.stderr)

    def test_demo_without_a_screen(self) -> None:
        """Without a screen the demo says what to do, and wrong words are answered with the usage."""
        done = run("scripts/demo")
        self.assertEqual(done.returncode, 2)
        self.assertIn("scripts/demo --picture", done.stderr)
        self.assertEqual(run("scripts/demo", "--juggle").returncode, 2)
        target = self.folder / "demo.png"
        self.assertEqual(run("scripts/demo", "--picture", str(target)).returncode, 0)
        self.assertEqual(self.size_of(target), (1280, 800))

    def test_open_refuses_in_words(self) -> None:
        """``ruvex open`` with a plan that cannot be used ends with status 2 and the reason, without a window."""
        bad = self.folder / "bad.ruvex.json"
        text = (DEMO.parent / "stories" / "1-sale.ruvex.json").read_text()
        bad.write_text(re.sub('"cores_per_socket": [0-9]+', '"cores_per_socket": 0', text, count=1))
        code = "from ruvex.cli import main; main()"
        done = run(sys.executable, "-c", code, "open", str(bad), QT_QPA_PLATFORM="offscreen")
        self.assertEqual(done.returncode, 2)
        self.assertIn("hosts[0].cores_per_socket (slip-2): 0 is not allowed; it must be at least 1", done.stderr)
        self.assertNotIn("Traceback", done.stderr)

    def test_every_script_is_sound(self) -> None:
        """Shell scripts parse, can be run, and stop at the first failure."""
        for name in ("demo", "test", "screenshots", "bench", "torture", "soak"):
            path = ROOT / "scripts" / name
            self.assertTrue(os.access(path, os.X_OK), name)
            self.assertEqual(run("bash", "-n", str(path)).returncode, 0, name)
        self.assertIn("set -euo pipefail", (ROOT / "scripts" / "setup.sh").read_text())
        self.assertTrue(os.access(ROOT / ".ci" / "run", os.X_OK))


class Loaded(unittest.TestCase):
    """Scripts that nothing else runs."""

    def test_each_finds_what_it_imports(self) -> None:
        """What a measurement takes from the product is still there by that name."""
        sys.path.insert(0, str(ROOT / "scripts"))
        self.addCleanup(sys.path.remove, str(ROOT / "scripts"))
        for path in sorted((ROOT / "scripts").glob("*.py")):
            with self.subTest(path.name):
                importlib.import_module(path.stem)
                self.addCleanup(sys.modules.pop, path.stem)


class Table(unittest.TestCase):
    """What tests take, as docs/CONTRIBUTING.md has it."""

    def test_what_takes_long_begins_first_and_a_new_measurement_replaces_the_old(self) -> None:
        """Modules come as the table has them; written anew, the page around it stays as it is."""
        spec = importlib.util.spec_from_file_location("run_tests", ROOT / "scripts" / "run_tests.py")
        assert spec is not None
        assert spec.loader is not None
        runner = sys.modules["run_tests"] = importlib.util.module_from_spec(spec)
        self.addCleanup(sys.modules.pop, "run_tests")
        spec.loader.exec_module(runner)
        with tempfile.TemporaryDirectory() as folder:
            runner.TABLE = Path(folder) / "page.md"
            page = "Before.\n\n| module | CPU, s |\n|---|---|\n| `tests.old` | 7 |\n| all | 7 |\n\nAfter.\n"
            runner.TABLE.write_text(page, encoding="utf-8")
            runner.write_table({"tests.test_demo": 6.4, "tests.test_scripts": 41.6, "tests.a": 2.0, "tests.b": 1.5})
            rows = "| `tests.test_scripts` | 42 |\n| `tests.test_demo` | 6 |\n| 2 others | 4 |\n| all | 52 |\n"
            self.assertEqual(runner.TABLE.read_text(encoding="utf-8"),
                             f"Before.\n\n| module | CPU, s |\n|---|---|\n{rows}\nAfter.\n")  # fmt: skip
            names = runner.modules_of_tests()
            self.assertEqual(names[:2], ["tests.test_scripts", "tests.test_demo"])
            self.assertIn("doctests", names)
            self.assertEqual(len(names), len(set(names)))
