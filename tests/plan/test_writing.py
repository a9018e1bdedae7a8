"""Writing files: the old or the new one is there in any case, and what is written can be read."""

from __future__ import annotations

import errno
import fcntl
import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from ruvex.plan import (
    OtherTracesError,
    OurFaultError,
    Plan,
    PlanError,
    PlanFileError,
    ReadOnlyFileError,
    StoppedError,
    WrittenWrongError,
    change_settings,
    move_moment,
    plan_from,
    plan_text,
    read_file,
    read_plan,
    replace_file,
    write_plan,
)
from tests.builders import cpu_guest, plan_of
from tests.demo import ROOT

HEAD = {"format": "ruvex-plan", "version": 1}


class Folder(unittest.TestCase):
    """Gives each test an empty folder."""

    def setUp(self) -> None:
        """Make the folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "a.ruvex.json"

    def names(self) -> list[str]:
        """Give what is in the folder."""
        return sorted(path.name for path in self.folder.iterdir())


class Replacing(Folder):
    """One file in the place of another."""

    def test_late_moments_can_be_read_again(self) -> None:
        """Hours of four digits: a day may be a year long."""
        plan = Plan.model_validate({"day_s": 31_000_000, "moment": 5_400_000})
        write_plan(plan, self.path)
        self.assertIn('"1500:00"', self.path.read_text())
        self.assertEqual(read_plan(self.path).plan, plan)
        self.assertEqual(read_plan(self.path).plan, move_moment(plan, 5_400_000))

    def test_what_would_read_differently_is_not_written(self) -> None:
        """A fault of ours: it is told as one, and the old file stays."""
        write_plan(plan_of([]), self.path)
        before = self.path.read_bytes()
        plan = plan_of([cpu_guest("a", 1)])
        for text in ("{", plan_text(change_settings(plan, "a", {"cpu.shares": 7}))):
            with (
                mock.patch("ruvex.plan._files.plan_text", return_value=text),
                self.assertRaises(WrittenWrongError) as caught,
            ):
                write_plan(plan, self.path)
            self.assertIsInstance(caught.exception, OurFaultError)
        unwritable = plan.model_copy(update={"name": "\ud800"})
        with self.assertRaises(WrittenWrongError):
            write_plan(unwritable, self.path)
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual(self.names(), [self.path.name])

    def test_a_disk_that_keeps_something_else_is_noticed(self) -> None:
        """What is read back is compared before it takes the place of the old file."""
        self.path.write_text("old")
        with mock.patch("os.fdopen") as opened:
            file = opened.return_value.__enter__.return_value
            file.read.return_value = b"hal"
            file.fileno.return_value = os.open(self.folder, os.O_RDONLY)
            self.addCleanup(os.close, file.fileno.return_value)
            with self.assertRaises(WrittenWrongError):
                replace_file(self.path, b"half")
        self.assertEqual((self.path.read_text(), self.names()), ("old", [self.path.name]))

    def test_a_full_disk_leaves_the_old_file(self) -> None:
        """The reason is said, and nothing is left over."""
        self.path.write_text("old")
        full = mock.patch("os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device"))
        with full, self.assertRaises(PlanFileError) as caught:
            replace_file(self.path, b"new")
        self.assertIn("No space left", str(caught.exception))
        self.assertEqual((self.path.read_text(), self.names()), ("old", [self.path.name]))

    def test_the_folder_is_flushed_after_the_rename(self) -> None:
        """So that the rename survives a power failure: the last thing that is flushed is the folder."""
        flushed: list[bool] = []
        real = os.fsync

        def fsync(handle: int) -> None:
            flushed.append(Path(f"/proc/self/fd/{handle}").readlink() == self.folder.resolve())
            if flushed[-1]:
                self.assertEqual(self.path.read_bytes(), b"new")
            real(handle)

        with mock.patch("os.fsync", fsync):
            replace_file(self.path, b"new")
        self.assertEqual(flushed, [False, True])

    def test_owner_group_and_rights_are_kept(self) -> None:
        """As far as the system lets one; a private file is never open to others meanwhile."""
        self.path.write_text("old")
        self.path.chmod(0o600)
        if os.geteuid() == 0:
            os.chown(self.path, 1234, 2345)
        before = self.path.stat()
        seen: list[int] = []
        real = os.fsync
        with mock.patch("os.fsync", lambda handle: (seen.append(os.fstat(handle).st_mode & 0o777), real(handle))[1]):
            replace_file(self.path, b"new")
        after = self.path.stat()
        self.assertEqual((after.st_mode, after.st_uid, after.st_gid), (before.st_mode, before.st_uid, before.st_gid))
        self.assertEqual(seen[0], 0o600)
        with mock.patch("os.fchown", side_effect=PermissionError(errno.EPERM, "not yours")):
            replace_file(self.path, b"mine")
        self.assertEqual(self.path.read_bytes(), b"mine")

    def test_read_only_files_are_replaced_only_when_that_is_said(self) -> None:
        """Also by who may do everything."""
        self.path.write_text("old")
        self.path.chmod(0o444)
        with self.assertRaises(ReadOnlyFileError):
            replace_file(self.path, b"new")
        self.assertEqual(self.path.read_text(), "old")
        replace_file(self.path, b"new", even_read_only=True)
        self.assertEqual((self.path.read_text(), self.path.stat().st_mode & 0o777), ("new", 0o444))

    def test_only_regular_files_are_read_and_replaced(self) -> None:
        """A pipe does not hang, a device is neither read nor replaced."""
        pipe = self.folder / "pipe"
        os.mkfifo(pipe)
        link = self.folder / "link"
        link.symlink_to("/dev/zero")
        for path, kind in (
            (pipe, "a pipe"),
            (link, "a device"),
            (self.folder, "a folder"),
            (Path("/dev/full"), "a device"),
        ):
            with self.subTest(kind):
                for call in (lambda p=path: read_plan(p), lambda p=path: replace_file(p, b"x")):
                    with self.assertRaises(PlanFileError) as caught:
                        call()
                    self.assertIn(kind, str(caught.exception))
        self.assertTrue(pipe.is_fifo())
        with self.assertRaises(PlanFileError):
            read_file(Path("a\0b"), 10)
        with self.assertRaises(PlanFileError):
            replace_file(self.folder / "none" / "x", b"x")

    def test_what_grows_while_it_is_read_is_bounded(self) -> None:
        """More bytes than allowed are refused, also when the size said otherwise."""
        self.path.write_bytes(b"x" * 100)
        with self.assertRaises(PlanFileError):
            read_file(self.path, 99)
        real = os.fstat
        with mock.patch("os.fstat", lambda handle: _smaller(real(handle))), self.assertRaises(PlanFileError):
            read_file(self.path, 99)

    def test_long_names_can_be_written(self) -> None:
        """The temporary name is no longer than a name may be."""
        path = self.folder / ("ä" * 120)
        replace_file(path, b"x")
        self.assertEqual(path.read_bytes(), b"x")

    def test_leftovers_of_the_dead_are_removed(self) -> None:
        """Those of the same file, when it is written next; what a living writer holds stays."""
        dead, alive = (self.folder / f".{self.path.name}.{digit * 32}.part" for digit in "ab")
        other = self.folder / f".other.{'c' * 32}.part"
        for path in (dead, alive, other):
            path.write_text("half")
        with alive.open() as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            replace_file(self.path, b"new")
        self.assertEqual(self.names(), sorted([alive.name, other.name, self.path.name]))


def _smaller(status: os.stat_result) -> Any:
    return mock.Mock(st_mode=status.st_mode, st_size=5)


class Traces(Folder):
    """Traces go where their plan goes."""

    def setUp(self) -> None:
        """Write a plan that follows a trace."""
        super().setUp()
        self.trace = self.folder / "t.csv"
        self.trace.write_text("seconds,a\n0,7\n60,1344\n")
        signal = {"kind": "trace", "file": "t.csv", "column": "a"}
        self.path.write_text(json.dumps(HEAD | {"guests": [{"id": "g", "demand": {"cpu": signal}}]}))
        self.file = read_plan(self.path)
        self.other = self.folder / "other"
        self.other.mkdir()
        self.target = self.other / "b.ruvex.json"

    def test_they_are_written_as_they_were_read(self) -> None:
        """Byte by byte, also when the folder they came from is gone."""
        content = self.trace.read_bytes()
        self.trace.unlink()
        self.path.unlink()
        write_plan(self.file.plan, self.target, traces=self.file.traces)
        self.assertEqual((self.other / "t.csv").read_bytes(), content)
        self.assertEqual(read_plan(self.target).traces["t.csv"].columns["a"].tolist(), [7.0, 1344.0])
        self.assertEqual(sorted(path.name for path in self.other.iterdir()), ["b.ruvex.json", "t.csv"])

    def test_another_file_of_that_name_is_asked_about(self) -> None:
        """Half a trace that a full disk left is not taken for good; nothing is written until it is said."""
        half = self.other / "t.csv"
        half.write_bytes(self.trace.read_bytes()[:-4])
        with self.assertRaises(OtherTracesError) as caught:
            write_plan(self.file.plan, self.target, traces=self.file.traces)
        self.assertEqual(caught.exception.names, ("t.csv",))
        self.assertFalse(self.target.exists())
        write_plan(self.file.plan, self.target, traces=self.file.traces, other_traces="keep")
        self.assertEqual(half.read_bytes(), self.trace.read_bytes()[:-4])
        write_plan(self.file.plan, self.target, traces=self.file.traces, other_traces="replace")
        self.assertEqual(half.read_bytes(), self.trace.read_bytes())

    def test_a_full_disk_leaves_no_half_trace(self) -> None:
        """The trace comes whole or not at all, and the plan not before it."""
        full = mock.patch("os.fsync", side_effect=OSError(errno.ENOSPC, "No space left on device"))
        with full, self.assertRaises(PlanFileError):
            write_plan(self.file.plan, self.target, traces=self.file.traces)
        self.assertEqual(list(self.other.iterdir()), [])

    def test_reading_is_told_and_stopped(self) -> None:
        """How far it is rises to the end; who wants it no more ends it."""
        rows = "".join(f"{i},{i}\n" for i in range(20_000))
        self.trace.write_text("seconds,a\n" + rows)
        told: list[tuple[str, float]] = []
        read_plan(self.path, tell=lambda what, part: told.append((what, part)))
        parts = [part for what, part in told if what == "t.csv"]
        self.assertEqual((parts, max(parts) <= 1.0, len(parts) > 3), (sorted(parts), True, True))

        def stop(what: str, part: float) -> None:
            if part > 0.5 and "t.csv" in what:
                raise StoppedError("enough")

        with self.assertRaises(StoppedError):
            read_plan(self.path, tell=stop)


class Killed(Folder):
    """Whoever writes is killed, again and again."""

    def test_fifty_kills(self) -> None:
        """Saves, saves with traces and recovery copies: what is there is whole, and nothing is left over."""
        # In a process of its own: one with threads cannot be forked safely.
        command = [
            sys.executable,
            "-m",
            "tests.torture.kills",
            str(self.folder),
            "demo/orrin-sound.ruvex.json",
            "51",
            "7",
        ]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertTrue((self.folder / "plan.ruvex.json").exists(), "some were killed late enough to have written")


class Faults(unittest.TestCase):
    """Whatever is wrong with a file, it is a list that a person reads to its end."""

    def test_a_hundred_and_no_more(self) -> None:
        """Then it is said that there are more; keys that are far too long are shown shortly."""
        many = [{"id": f"g{i}", f"colour{i}": 1} for i in range(5000)]
        for data in (
            {"guests": many},
            {"guests": [{"id": "a"}] * 5000},
            {"guests": [{"id": f"g{i}", "pool": "none"} for i in range(5000)]},
            {"guests": [{"id": "g", "tags": ["\x07"] * 1000}]},
            {"events": [{"at": 1, "do": "restart", "target": "x"}] * 5000},
            {f"{i}" * 500: 1 for i in range(500)},
        ):
            with self.subTest(str(data)[:60]), self.assertRaises(PlanError) as caught:
                plan_from(HEAD | data)
            problems = caught.exception.problems
            self.assertEqual(len(problems), 101)
            self.assertIn("there are more", str(problems[-1]))
            self.assertLess(max(len(str(problem)) for problem in problems), 400)
