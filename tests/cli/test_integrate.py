"""At home on a desktop: what is put in place and taken away, and an installation from a wheel."""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import venv
from pathlib import Path

from ruvex.cli._integrate import APP_ID, PATHS, integrate
from ruvex.cli._pages import completion, man_page
from ruvex.cli._share import MAN_PATH, SHELL_PATHS
from ruvex.plan import PlanFileError
from tests.cli.inside import run
from tests.demo import ROOT
from tests.thorough import only_in_full

SHARE = ROOT / "share"
ENTRY = f"applications/{APP_ID}.desktop"


def said_by(*words: str) -> str:
    """Give what a checker complains about."""
    # Where the tests find Ruvex is nothing that an installer should see: it would find it installed.
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"} | {"LC_ALL": "C.UTF-8"}
    told = subprocess.run(words, capture_output=True, text=True, check=False, env=environment)
    return "" if told.returncode == 0 else told.stdout + told.stderr


def quietly(*, remove: bool, share: Path) -> int:
    """Put it in place, or take it away, without a word on the screen."""
    with contextlib.redirect_stdout(io.StringIO()):
        return integrate(remove=remove, share=share)


class Pages(unittest.TestCase):
    """The man page and completion."""

    def test_they_are_those_of_the_commands(self) -> None:
        """What lies in share/ is what the commands give now; scripts/pages writes it."""
        self.assertEqual((SHARE / MAN_PATH).read_text(encoding="utf-8"), man_page())
        for shell, path in SHELL_PATHS.items():
            self.assertEqual((SHARE / path).read_text(encoding="utf-8"), completion(shell), shell)

    def test_every_command_and_option_is_in_the_man_page(self) -> None:
        """As the help of each command has them."""
        page = man_page().replace("\\-", "-")
        for line in run("--help").stdout.partition("Commands:")[2].splitlines():
            if line[:3].strip() == "" and line[2:3].isalpha():
                self.assertIn(f".SS \\fB{line.split()[0]}\\fR", page)
        for name in ("--reservation", "--set", "--watch", "--by-host", "--done-by", "--remove"):
            self.assertEqual(f"\\fB{name}\\fR" in page, name != "--reservation", name)

    def test_bash_completes(self) -> None:
        """A command, an option of the command, a file; as the shell itself has it."""
        script = f"""source '{SHARE / SHELL_PATHS["bash"]}'
            ask() {{ COMP_WORDS=("$@"); COMP_CWORD=$(($# - 1)); COMPREPLY=(); _ruvex; echo "${{COMPREPLY[*]}}"; }}
            cd '{ROOT}'; ask ruvex divi; ask ruvex room --lik; ask ruvex divide --lik; ask ruvex open READ"""
        told = subprocess.run(["bash", "-c", script], capture_output=True, text=True, check=True)
        self.assertEqual((told.stdout.splitlines(), told.stderr), (["divide", "--like", "", "README.md"], ""))

    def test_others_take_them(self) -> None:
        """The formatter of man pages warns of nothing; zsh and fish read theirs, where they are to be had."""
        if shutil.which("groff"):
            told = subprocess.run(["groff", "-man", "-ww", "-Tutf8", "-z", str(SHARE / MAN_PATH)],
                                  capture_output=True, text=True, check=False)  # fmt: skip
            self.assertEqual((told.returncode, told.stderr), (0, ""))
        for shell in ("zsh", "fish"):
            if shutil.which(shell):
                self.assertEqual(said_by(shell, "-n", str(SHARE / SHELL_PATHS[shell])), "")


class InPlace(unittest.TestCase):
    """``ruvex integrate``."""

    def test_put_there_and_taken_away(self) -> None:
        """All of it lies in the person's folder, the entry with the whole path of the command; then none of it."""
        with tempfile.TemporaryDirectory() as folder:
            share = Path(folder)
            (share / "man").mkdir()
            (share / "man" / "mine").write_text("x", encoding="ascii")
            self.assertEqual(quietly(remove=False, share=share), 0)
            for path in PATHS:
                self.assertTrue((share / path).is_file(), path)
            entry = (share / ENTRY).read_text(encoding="utf-8")
            self.assertIn(f'Exec="{Path(sys.executable).parent / "ruvex"}" open %f\n', entry)
            if checker := shutil.which("desktop-file-validate"):
                self.assertEqual(said_by(checker, str(share / ENTRY)), "")
            self.assertEqual(quietly(remove=False, share=share), 0)
            self.assertEqual(quietly(remove=True, share=share), 0)
            left = {str(path.relative_to(share)) for path in share.rglob("*") if path.is_file()}
            self.assertNotIn("ruvex", " ".join(name.lower() for name in left))
            self.assertIn("man/mine", left)
            self.assertEqual(quietly(remove=True, share=share), 0)

    def test_where_it_cannot_be_put(self) -> None:
        """It is told in words which file, and why."""
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "applications").write_text("in the way", encoding="ascii")
            with self.assertRaisesRegex(PlanFileError, f"{APP_ID}.desktop: "):
                integrate(remove=False, share=Path(folder))

    def test_others_take_it(self) -> None:
        """Checkers of the desktop's own files find nothing wrong, where they are to be had."""
        for name, words in (
            ("desktop-file-validate", [str(SHARE / ENTRY)]),
            ("appstreamcli", ["validate", "--no-net", str(SHARE / f"metainfo/{APP_ID}.metainfo.xml")]),
        ):
            if checker := shutil.which(name):
                self.assertEqual(said_by(checker, *words), "")


@only_in_full
class FromAWheel(unittest.TestCase):
    """An installation that knows nothing of the checkout."""

    def test_it_has_all_it_needs(self) -> None:
        """Built, installed in an environment of its own, it divides the demo it brought and puts its icon in place."""
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            source = place / "source"
            for name in ("src", "demo", "share", "pyproject.toml", "README.md", "LICENSE"):
                kept = shutil.ignore_patterns("__pycache__", "*.egg-info")
                if (ROOT / name).is_dir():
                    shutil.copytree(ROOT / name, source / name, ignore=kept)
                else:
                    shutil.copy(ROOT / name, source / name)
            build = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--no-build-isolation",
                     "--disable-pip-version-check", "--wheel-dir", str(place), str(source)]  # fmt: skip
            self.assertEqual(said_by(*build), "")
            (wheel,) = place.glob("ruvex-*.whl")
            venv.create(place / "bare", with_pip=False)
            python = place / "bare" / "bin" / "python"
            self.assertEqual(said_by(sys.executable, "-m", "pip", "--python", str(python), "install", "--quiet",
                                     "--no-deps", "--no-index", str(wheel)), "")  # fmt: skip
            # The packages it needs are those of this environment, but for itself.
            needs = [one for one in sys.path if one.endswith("site-packages")]
            environment = {"PYTHONPATH": ":".join(needs), "PATH": os.environ["PATH"], "HOME": folder}
            command = [str(python), str(place / "bare" / "bin" / "ruvex")]

            def told(*words: str) -> str:
                found = subprocess.run([*command, *words], capture_output=True, text=True, check=False, cwd=folder,
                                       env=environment)  # fmt: skip
                self.assertEqual((found.returncode, found.stderr), (0, ""), words)
                return found.stdout

            self.assertIn("ruvex 0.", told("--version"))
            demo = place / "bare" / "share" / "ruvex" / "demo" / "orrin-sound.ruvex.json"
            self.assertIn("ticket-db", told("divide", str(demo)))
            told("integrate")
            entry = (place / ".local" / "share" / ENTRY).read_text(encoding="utf-8")
            self.assertIn(f'Exec="{place / "bare" / "bin" / "ruvex"}" open %f', entry)
            self.assertTrue((place / ".local" / "share" / MAN_PATH).is_file())
