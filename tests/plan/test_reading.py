"""Reading and writing plan files: what is accepted, what is refused and how it is told."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

from hypothesis import given, settings

from ruvex.plan import (
    EditError,
    PlanError,
    PlanFileError,
    change_settings,
    parse_json,
    plan_from,
    plan_schema,
    plan_text,
    read_plan,
    write_plan,
)
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans

HEAD = {"format": "ruvex-plan", "version": 1}


def problems(data: Any) -> list[str]:
    """Give the problems of a document as lines; none if it is a valid plan."""
    try:
        plan_from(data)
    except PlanError as error:
        return [str(problem) for problem in error.problems]
    return []


class Refusals(unittest.TestCase):
    """Each broken rule is told with its place and the remedy, and all of them at once."""

    CASES: tuple[tuple[str, dict[str, Any], str], ...] = (
        ("unknown key", {"gests": []}, "gests: unknown key 'gests'; did you mean 'guests'?"),
        ("wrong type", {"guests": [{"id": "a", "vcpus": "2"}]}, "guests[0].vcpus (a): '2' is not allowed; write a whole number"),
        ("truth for a number", {"hosts": [{"id": "h", "mhz": True}]}, "hosts[0].mhz (h): True is not allowed; write a number"),
        ("missing id", {"pools": [{"name": "x"}]}, "pools[0].id: it is missing; add it"),
        ("bad id", {"pools": [{"id": "A b"}]}, "pools[0].id: 'A b' is not allowed; use lower-case letters"),
        ("name of two lines", {"guests": [{"id": "a", "name": "x\ny"}]}, "guests[0].name (a): 'x\\ny' is not allowed; write it on one line"),
        ("escape code", {"name": "\x1b[2J"}, "without control characters"),
        ("half a character", {"name": "\ud800"}, "use characters that can be written"),
        ("zero shares", {"guests": [cpu_guest("a", 1, shares=0)]}, "guests[0].cpu.shares (a): 0 is not allowed; it must be more than 0"),
        ("zero limit", {"guests": [cpu_guest("a", 1, limit=0)]}, "guests[0].cpu.limit (a): 0 is not allowed; it must be more than 0"),
        ("negative", {"guests": [cpu_guest("a", -1)]}, "guests[0].demand.cpu (a): -1 is not allowed; it must be at least 0"),
        ("absurd", {"hosts": [{"id": "h", "memory_mib": 1e300}]}, "hosts[0].memory_mib (h): 1e+300 is not allowed; it must be at most"),
        ("limit under reservation", {"guests": [cpu_guest("a", 1, reservation=5, limit=4)]},
         "guests[0].cpu.reservation (a): the reservation (5 MHz) is above the limit (4 MHz); at most the limit"),
        ("pool limit under reservation", {"pools": [{"id": "p", "memory": {"reservation": 5, "limit": 4}}]},
         "pools[0].memory.reservation (p): the reservation (5 MiB) is above the limit (4 MiB)"),
        ("more than its vCPUs", {"hosts": [HOST], "guests": [cpu_guest("a", 1, vcpus=2, reservation=2001)]},
         "guests[0].cpu.reservation (a): 2001 MHz is more than 2 vCPUs of a can use; at most 2000 MHz (2 × 1000)"),
        ("more than its size", {"guests": [memory_guest("a", 1, size=10, reservation=11)]},
         "guests[0].memory.reservation (a): the reservation (11 MiB) is above the size (10 MiB)"),
        ("floor above boot", {"guests": [memory_guest("a", 1, mode="elastic", boot=10, floor=11, ceiling=20)]},
         "guests[0].memory.floor (a): the floor (11 MiB) is above the boot size (10 MiB)"),
        ("boot above ceiling", {"guests": [memory_guest("a", 1, mode="elastic", boot=30, floor=1, ceiling=20)]},
         "guests[0].memory.boot (a): the boot size (30 MiB) is above the ceiling (20 MiB)"),
        ("setting of another mode", {"guests": [memory_guest("a", 1, mode="fixed", size=10, limit=5)]},
         "guests[0].memory.limit (a): unknown key 'limit'"),
        ("no such mode", {"guests": [memory_guest("a", 1, mode="soft")]}, "write fixed, elastic or thin"),
        ("no such pool", {"guests": [cpu_guest("a", 1, pool="x")]}, "guests[0].pool (a): there is no pool 'x'"),
        ("no such parent", {"pools": [{"id": "p", "parent": "x"}]}, "pools[0].parent (p): there is no pool 'x'"),
        ("no such host", {"guests": [{"id": "a", "host": "x"}]}, "guests[0].host (a): there is no host 'x'"),
        ("placement of nobody", {"placement": [{"kind": "stays", "guests": ["x"], "hosts": ["k"]}]},
         "placement[0].guests: there is no guest 'x'"),
        ("placement that contradicts", {"guests": [{"id": "a"}, {"id": "b"}], "placement": [
            {"kind": "together", "guests": ["a", "b"]}, {"kind": "apart", "guests": ["b", "a"]}]},
         "placement[1].guests: 'b' and 'a' are to be apart here, and together by another rule"),
        ("comes back when", {"guests": [{"id": "a", "comes_back": "soon"}]}, "guests[0].comes_back (a)"),
        ("leaves all", {"guests": [cpu_guest("a", 1) | {"demand": {"leaves_percent": 100}}]}, "it must be less than 100"),
        ("cycle", {"pools": [{"id": "a", "parent": "b"}, {"id": "b", "parent": "a"}]},
         "pools[0].parent (a): pools contain each other: a → b → a"),
        ("id twice", {"hosts": [{"id": "x"}], "pools": [{"id": "x"}]}, "pools[0].id: the id 'x' is taken by hosts[0]"),
        ("id of the rules", {"pools": [{"id": "rules"}]}, "the id 'rules' is kept for the rules"),
        ("steps out of order", {"guests": [cpu_guest("a", 0) | {"demand": {"cpu": {"kind": "steps", "at": [["08:00", 1], ["07:00", 2]]}}}]},
         "guests[0].demand.cpu (a): the times of steps must rise"),
        ("no such signal", {"guests": [{"id": "a", "demand": {"cpu": {"kind": "wavy"}}}]}, "write a number, or an object with a known kind"),
        ("bad time", {"moment": "8 o'clock"}, "moment: \"8 o'clock\" is not a time; write HH:MM, HH:MM:SS or seconds"),
        ("moment after the day", {"moment": "12:00", "day_s": 3600}, "the moment is after the end of the day"),
        ("event for nobody", {"events": [{"at": "08:00", "do": "restart", "target": "x"}]}, "events[0].target: there is no guest 'x'"),
        ("event sets nothing", {"guests": [cpu_guest("a", 1)], "events": [{"at": 1, "do": "set", "target": "a", "change": {"cpu.share": 1}}]},
         "events[0].change: 'a' has no setting 'cpu.share'"),
        ("no such event", {"events": [{"at": 1, "do": "dance", "target": "a"}]}, "events[0]"),
        ("idle pages", {"rules": {"idle_counts_as": 0.5}}, "rules.idle_counts_as: 0.5 is not allowed; it must be at least 1"),
    )  # fmt: skip

    def test_each_is_told(self) -> None:
        """The text names the place, the fault and the remedy."""
        for name, part, expected in self.CASES:
            with self.subTest(name):
                found = problems(HEAD | part)
                self.assertTrue(any(expected in line for line in found), found)

    def test_all_are_told_at_once(self) -> None:
        """A plan with several faults lists every one."""
        data = HEAD | {"guests": [cpu_guest("a", 1, limit=0), {"id": "B"}, {"id": "c", "colour": 1}]}
        self.assertEqual(
            [line.split(":")[0] for line in problems(data)],
            ["guests[0].cpu.limit (a)", "guests[1].id", "guests[2].colour (c)"],
        )

    def test_other_formats_and_versions(self) -> None:
        """What is no plan, or a newer one, is refused with a clear text."""
        self.assertIn("this is not a Ruvex plan", problems([])[0])
        self.assertIn("this is not a Ruvex plan", problems({"format": "x"})[0])
        self.assertIn("version 7 is newer than this Ruvex reads (1)", problems(HEAD | {"version": 7})[0])
        self.assertIn("version: it is missing", problems({"format": "ruvex-plan"})[0])

    def test_hostile_json(self) -> None:
        """Doubled keys, NaN, endless digits, deep nesting and a cut file end in a clear refusal."""
        cases = {
            '{"a": 1, "a": 2}': "the key 'a' stands twice",
            '{"a": NaN}': "NaN is not a number",
            '{"a": ' + "9" * 5000 + "}": "a number with 5000 digits",
            "[" * 100_000: "nested too deeply",
            "[" * 90 + "]" * 90: "nested too deeply",
            '{"format": "ruvex-plan", "guests": [': "line 1 column 37: a value is missing or none that JSON knows; the file"
            " seems cut off",
            '{"format": "ruvex-plan", "na': "a string is not closed; the file seems cut off",
            "not json": "line 1 column 1: a value is missing or none that JSON knows; mend the JSON there",
            '{"a": 1 "b": 2}': "line 1 column 9: a comma is missing; mend the JSON there",
            '{"a": 1, b: 2}': "a key in quotation marks is missing",
            '{"a" 1}': "a colon is missing",
            '{"a": "\\x"}': "a backslash stands before",
            '{"a": "\n"}': "a control character",
            "{} {}": "more follows",
            '{"a": 1,}': "a key in quotation marks is missing",
        }
        for text, expected in cases.items():
            with self.subTest(expected), self.assertRaises(PlanError) as caught:
                parse_json(text, "x")
            self.assertIn(expected, str(caught.exception))
        huge = json.loads('{"format": "ruvex-plan", "version": 1, "hosts": [{"id": "h", "mhz": 1e400}]}')
        self.assertTrue(problems(huge))
        self.assertTrue(problems(HEAD | {"hosts": [{"id": "h", "mhz": 10**350}]}))


class Files(unittest.TestCase):
    """Plan files on disk."""

    def setUp(self) -> None:
        """Make an empty folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "a.ruvex.json"

    def test_text_is_stable(self) -> None:
        """Key order, absent defaults and unknown spellings of times survive reading and writing."""
        text = plan_text(plan_from(HEAD | {"guests": [{"vcpus": 1, "id": "a", "cpu": {"limit": 5, "reservation": 1}}]}))
        reordered = json.loads(text)
        reordered["guests"][0] = {"cpu": {"limit": 5, "reservation": 1}, "id": "a", "vcpus": 1}
        self.path.write_text(json.dumps(reordered))
        file = read_plan(self.path)
        write_plan(change_settings(file.plan, "a", {"cpu.shares": 200}), self.path, layout=file.layout)
        after = json.loads(self.path.read_text())
        self.assertEqual(list(after["guests"][0]), ["cpu", "id", "vcpus"])
        self.assertEqual(list(after["guests"][0]["cpu"].items()), [("limit", 5), ("reservation", 1), ("shares", 200)])
        again = read_plan(self.path)
        self.assertEqual(plan_text(again.plan, again.layout), self.path.read_text())

    @settings(max_examples=40, deadline=None)
    @given(plans())
    def test_round_trip(self, plan: Any) -> None:
        """What is written is read back as the same plan."""
        self.assertEqual(plan_from(json.loads(plan_text(plan))), plan)

    def test_crash_while_writing_leaves_the_old_file(self) -> None:
        """A failure in the middle keeps the old content and leaves no litter."""
        write_plan(plan_of([cpu_guest("a", 1)]), self.path)
        before = self.path.read_bytes()
        with (
            mock.patch("os.fsync", side_effect=OSError(28, "No space left on device")),
            self.assertRaises(PlanFileError) as caught,
        ):
            write_plan(plan_of([cpu_guest("b", 1)]), self.path)
        self.assertIn("No space left on device", str(caught.exception))
        self.assertEqual(self.path.read_bytes(), before)
        self.assertEqual([p.name for p in self.folder.iterdir()], [self.path.name])

    def test_links_and_rights_are_kept(self) -> None:
        """Writing through a link replaces what it points to, with the rights it had."""
        write_plan(plan_of([]), self.path)
        self.path.chmod(0o640)
        link = self.folder / "link.ruvex.json"
        link.symlink_to(self.path)
        write_plan(plan_of([cpu_guest("a", 1)]), link)
        self.assertTrue(link.is_symlink())
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o640)
        self.assertEqual(len(read_plan(self.path).plan.guests), 1)

    def test_unreadable_files(self) -> None:
        """A missing file, a folder and bytes that are no text are told apart."""
        for make, expected in (
            (lambda: None, "No such file"),
            (lambda: self.path.mkdir(), "this is a folder, not a file"),
            (lambda: (self.path.rmdir(), self.path.write_bytes(b"\xff\xfe{}")), "not UTF-8"),
        ):
            make()
            with self.assertRaises(PlanFileError) as caught:
                read_plan(self.path)
            self.assertIn(expected, str(caught.exception))

    def traced(self, content: str | bytes, file: str = "t.csv", column: str = "a") -> str:
        """Read a plan whose only guest follows a trace of this content; give the refusal, or an empty text."""
        (self.folder / "t.csv").write_bytes(content if isinstance(content, bytes) else content.encode())
        guest = {"id": "g", "demand": {"cpu": {"kind": "trace", "file": file, "column": column}}}
        self.path.write_text(json.dumps(HEAD | {"guests": [guest]}))
        try:
            read_plan(self.path)
        except PlanError as error:
            return str(error)
        return ""

    def test_traces(self) -> None:
        """Good traces are read; bad ones are refused with file and line."""
        self.assertEqual(self.traced("seconds,a\n0,1\n60,2.5\n"), "")
        self.assertEqual(self.traced("\ufefftime,b,a\n00:00,1,2\n\n23:59:30,2,3\n"), "")
        for content, expected in (
            ("", "there is no time column"),
            ("seconds,a\n", "there are no rows"),
            ("seconds,a\n0,1\n60,\n", "t.csv line 3: an empty cell in column 'a'"),
            ("seconds,a\n0,1\n60,x\n", "t.csv line 3: 'x' in column 'a'; write a number"),
            ("seconds,a\n0,nan\n", "t.csv line 2: 'nan' in column 'a'"),
            ("seconds,a\n0,-1\n", "write a number of 0 or more"),
            ("seconds,a\n60,1\n0,2\n", "t.csv line 3: the time '0' does not come after"),
            ("seconds,a\n0,1,2\n", "t.csv line 2: 3 cells; give 2"),
            ("seconds,a,a\n0,1,2\n", "two columns have the same name"),
            ("seconds,b\n0,1\n", "t.csv has no column 'a'; it has b"),
            (b"seconds,a\n0,\xff\n", "not UTF-8"),
        ):
            with self.subTest(expected):
                self.assertIn(expected, self.traced(content))
        self.assertIn(
            "guests[0].demand.cpu.file (g): 'none.csv'".replace("'", ""),
            self.traced("", "none.csv").replace("'", ""),
        )

    def test_traces_stay_in_the_folder(self) -> None:
        """A plan from elsewhere cannot make Ruvex read files outside its folder, nor endless ones."""
        for name in ("../t.csv", "/etc/passwd", "sub/../../t.csv"):
            self.assertIn("outside the plan's folder", self.traced("seconds,a\n0,1\n", name))
        (self.folder / "out.csv").symlink_to("/etc/hostname")
        self.assertIn("leads outside", self.traced("", "out.csv"))
        with mock.patch("ruvex.plan._traces.MAX_ROWS", 5):
            rows = "".join(f"{i},1\n" for i in range(9))
            self.assertIn("there are more than 5 rows", self.traced("seconds,a\n" + rows))


class Edits(unittest.TestCase):
    """Edits give a new valid plan or say why not."""

    def test_change_and_refusal(self) -> None:
        """The plan itself never changes; a refusal names setting and remedy."""
        plan = plan_of([cpu_guest("a", 1, limit=500)], [{"id": "p"}])
        after = change_settings(plan, "a", {"cpu.limit": None, "memory.shares": 50, "vcpus": 4})
        self.assertEqual((plan.guests[0].cpu.limit, after.guests[0].cpu.limit), (500, None))
        self.assertEqual((after.guests[0].memory.shares, after.guests[0].vcpus), (50, 4))
        self.assertEqual(change_settings(plan, "rules", {"idle_counts_as": 3}).rules.idle_counts_as, 3)
        self.assertEqual(change_settings(plan, "p", {"cpu.reservation": 7}).pools[0].cpu.reservation, 7)
        for target, change, expected in (
            ("a", {"cpu.reservation": 501.0}, "the reservation (501 MHz) is above the limit (500 MHz)"),
            ("a", {"cpu.shares": 0}, "a, CPU shares: 0 is not allowed; it must be more than 0"),
            ("a", {"cpu.weight": 1}, "a has no weight"),
            ("x", {"cpu.shares": 1}, "there is no 'x' in the plan"),
            ("h", {"mhz": 10, "cores_per_socket": 0}, "h, cores in a socket: 0 is not allowed"),
        ):
            with self.subTest(expected), self.assertRaises(EditError) as caught:
                change_settings(plan, target, change)
            self.assertIn(expected, str(caught.exception))

    def test_names_not_ids_in_what_is_refused(self) -> None:
        """People read the name of the item and the words for its setting, whatever breaks a rule."""
        elastic = {"mode": "elastic", "boot": 4096, "ceiling": 8192, "floor": 1024}
        plan = plan_of([{"id": "guest-2", "name": "Fare desk", "memory": elastic}])
        for change, expected in (
            (
                {"memory.ceiling": 2048},
                "Fare desk, boot size: the boot size (4096 MiB) is above the ceiling (2048 MiB)",
            ),
            ({"memory.headroom_percent": -1}, "Fare desk, headroom: -1 is not allowed"),
            ({"pool": "p"}, "Fare desk, pool: there is no pool 'p'"),
        ):
            with self.subTest(expected), self.assertRaises(EditError) as caught:
                change_settings(plan, "guest-2", change)
            self.assertIn(expected, str(caught.exception))
            self.assertNotIn("guest-2", str(caught.exception))
            self.assertNotRegex(str(caught.exception), r"memory\.|_")

    def test_every_fault_at_once(self) -> None:
        """Faults of the parts hide neither a taken id nor a pool that is not there."""
        faulty = {
            "format": "ruvex-plan", "version": 1, "hosts": [{"id": "h", "smt_yield": 150}],
            "pools": [{"id": "p", "parent": "nowhere"}],
            "guests": [{"id": "a", "vcpus": 0}, {"id": "a"}, {"id": "b", "pool": "q", "memory": {"size": "much"}}],
        }  # fmt: skip
        with self.assertRaises(PlanError) as caught:
            plan_from(faulty)
        paths = {problem.path for problem in caught.exception.problems}
        self.assertLessEqual(
            {"hosts[0].smt_yield", "pools[0].parent", "guests[0].vcpus", "guests[1].id", "guests[2].pool",
             "guests[2].memory.size"}, paths,
        )  # fmt: skip

    def test_schema_admits_what_is_read(self) -> None:
        """The schema is 2020-12, names every part, and requires format and version."""
        schema = plan_schema()
        self.assertEqual(schema["$schema"], "https://json-schema.org/draft/2020-12/schema")
        self.assertEqual(schema["required"], ["format", "version"])
        self.assertLessEqual({"Host", "Pool", "Guest", "Rules", "ThinMemory", "Daily"}, set(schema["$defs"]))
        self.assertFalse(schema["additionalProperties"])
