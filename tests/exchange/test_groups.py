"""Control groups: a host's tree as a plan, a plan as drop-in files of systemd."""

from __future__ import annotations

import contextlib
import itertools
import random
import re
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide import divide
from ruvex.exchange import Brought, drop_ins, read_groups
from ruvex.exchange.groups._names import escape, name_of
from ruvex.plan import Host, Plan, PlanError, PlanFileError, RuvexError, add_items, read_plan
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.demo import DEMO
from tests.exchange.damage import DAMAGED, damaged
from tests.thorough import many

MIB = 2**20
CPUS = "".join(
    f"processor\t: {i}\nphysical id\t: {i // 4}\ncore id\t: {i % 4 // 2}\ncpu MHz\t: 2300.7\n" for i in range(8)
)


class Tree(unittest.TestCase):
    """A folder that looks as the kernel's does."""

    def setUp(self) -> None:
        """Make the root, and what is told about the machine: two sockets of two cores of two threads, 16 GiB."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.root, self.proc = Path(folder.name) / "groups", Path(folder.name) / "proc"
        self.root.mkdir()
        self.proc.mkdir()
        (self.root / "cgroup.controllers").write_text("cpuset cpu io memory pids\n", encoding="ascii")
        (self.proc / "cpuinfo").write_text(CPUS, encoding="ascii")
        (self.proc / "meminfo").write_text("MemTotal:       16777216 kB\nMemFree: 1 kB\n", encoding="ascii")

    def group(self, path: str, *, populated: int = 1, **files: str) -> Path:
        """Make a group; a file's name is given with underscores for its dots."""
        folder = self.root / path
        folder.mkdir(parents=True, exist_ok=True)
        texts = {"cgroup_events": f"populated {populated}\nfrozen 0\n", "cpu_stat": "usage_usec 1000\nuser_usec 1\n"}
        for name, text in (texts | files).items():
            (folder / name.replace("_", ".", 1)).write_text(text, encoding="ascii")
        return folder

    def read(self, plan: Plan | None = None, use: dict[Path, int] | None = None) -> Brought:
        """Read the tree; between the two looks some groups use so many microseconds of CPU."""

        def wait(_seconds: float) -> None:
            for path, usec in (use or {}).items():
                (path / "cpu.stat").write_text(f"usage_usec {1000 + usec}\n", encoding="ascii")

        return read_groups(self.root, plan or Plan(), proc=self.proc, over_s=10.0, wait=wait)


class DamagedFiles(Tree):
    """Files of groups that hold what no kernel writes."""

    def test_each_is_read_or_refused(self) -> None:
        """A dozen files at a time changed, cut or doubled: the tree is read, or refused in words."""
        desk = self.group(
            "sea.slice/desk.scope", cpu_weight="70\n", cpu_max="150000 100000\n", memory_min="4096\n",
            memory_max="9000000\n", memory_current="2500\n", cpuset_cpus="0-2,7\n", memory_stat="inactive_file 700\n",
            cpu_pressure="some avg10=0.00 avg60=1.00 avg300=31.40 total=5\n",
        )  # fmt: skip
        self.group("sea.slice", cpu_weight="250\n", memory_low="100\n")
        files = [*sorted(desk.iterdir()), self.proc / "cpuinfo", self.proc / "meminfo"]
        whole = [path.read_bytes() for path in files]
        read = damaged_files = 0
        contents = damaged(whole, DAMAGED)
        while batch := list(itertools.islice(contents, len(files))):
            for path, content in zip(files, batch, strict=False):
                path.write_bytes(content)
            damaged_files += len(batch)
            for _ in range(2):  # with a machine that cannot be told, then with a sound one
                with contextlib.suppress(RuvexError):
                    read += len(self.read().guests)
                files[-2].write_bytes(whole[-2])
                files[-1].write_bytes(whole[-1])
        self.assertEqual(damaged_files, DAMAGED)
        self.assertGreater(read, DAMAGED * 3 // 100)


class In(Tree):
    """Reading."""

    def test_by_hand(self) -> None:
        """Weights, quota, bounds and use of a slice, a slice in it and two units; the machine comes as host."""
        self.group("machine.slice", cpu_weight="250\n", memory_min=f"{4096 * MIB}\n", memory_max=f"{9000 * MIB}\n")
        desk = self.group(
            r"machine.slice/machine-night\x2dwork.slice/harbour\x2ddesk.scope",
            cpu_weight="70\n", cpu_max="150000 100000\n", memory_min=f"{9000 * MIB}\n", memory_high=f"{3000 * MIB}\n",
            memory_max=f"{5000 * MIB}\n", memory_current=f"{2500 * MIB}\n", memory_stat=f"inactive_file {700 * MIB}\n",
            cpu_pressure="some avg10=0.00 avg60=1.00 avg300=31.40 total=5\nfull avg10=0 avg60=0 avg300=0 total=0\n",
        )  # fmt: skip
        self.group(r"machine.slice/machine-night\x2dwork.slice", memory_low=f"{2000 * MIB}\n", cpu_max="max 100000\n")
        (desk / "inner").mkdir()
        self.group("system.slice/mail.service", cpuset_cpus="0-2,7\n", memory_max="max\n", cpu_weight="10\n")
        self.group("system.slice")
        self.group("idle.slice", populated=0)
        found = self.read(use={desk: 7_500_000})
        plan = add_items(Plan(), [*found.hosts, *found.pools, *found.guests])
        host = plan.hosts[0]
        self.assertEqual((host.sockets, host.cores_per_socket, host.threads_per_core, host.mhz), (2, 2, 2, 2301))
        self.assertEqual(host.memory_mib, 16384)
        pools = {pool.name: pool for pool in plan.pools}
        self.assertEqual(set(pools), {"machine", "night-work", "system"})
        self.assertEqual((pools["machine"].cpu.shares, pools["machine"].memory.reservation), (250, 4096))
        self.assertEqual((pools["machine"].memory.limit, pools["night-work"].memory.limit), (9000, None))
        self.assertEqual((pools["night-work"].memory.reservation, pools["night-work"].cpu.limit), (2000, None))
        self.assertEqual(pools["night-work"].parent, pools["machine"].id)
        guests = {guest.name: guest for guest in plan.guests}
        self.assertEqual(set(guests), {"harbour-desk", "mail"})
        guest, mail = guests["harbour-desk"], guests["mail"]
        self.assertEqual((guest.cpu.shares, guest.cpu.limit, guest.vcpus), (70, 1.5 * 2301, 2))
        self.assertEqual((guest.memory.size, guest.memory.model_dump()["limit"]), (5000, 3000))
        # What is kept for it is no more than for the slice it is in.
        self.assertEqual(guest.memory.model_dump()["reservation"], 2000)
        demand = guest.demand
        self.assertEqual((demand.cpu, demand.working, demand.touched), (0.75 * 2301, 1800, 2500))
        self.assertEqual((mail.vcpus, mail.memory.size, mail.cpu.limit), (4, 16384, None))
        self.assertEqual(found.left_out, ("1 groups without processes",))
        self.assertEqual(found.told, ("harbour-desk waited for CPU in 31 % of the last five minutes",))

    def test_into_a_plan_with_a_host(self) -> None:
        """The plan's own host counts; names that are taken get a number."""
        self.group("mail.service", cpu_max="50000 100000\n")
        there = Plan(hosts=(Host(id="this-host", mhz=3100),))
        found = self.read(there)
        plan = add_items(there, [*found.hosts, *found.guests])
        self.assertEqual((len(plan.hosts), plan.guests[0].cpu.limit), (1, 1550))
        again = self.read(plan)
        self.assertEqual([guest.name for guest in again.guests], ["mail-2"])

    def test_what_cannot_be_read(self) -> None:
        """No such tree, no processes, too deep; links lead nowhere."""
        self.group("empty.slice", populated=0)
        (self.root / "away").symlink_to("/")
        with self.assertRaisesRegex(PlanFileError, "no group in there has processes"):
            self.read()
        self.group("/".join(["a"] * 40))
        with self.assertRaisesRegex(PlanFileError, "nested deeper"):
            self.read()
        with self.assertRaisesRegex(PlanFileError, "no control groups of version 2"):
            read_groups(self.proc, Plan())

    def test_any_text_in_a_file(self) -> None:
        """Whatever stands in the files there is a plan, or an error in our own words."""
        chance = random.Random(7)
        words = [
            "max",
            "-3",
            "99999999999999999999999999",
            "1e9",
            "0-",
            "5-1",
            "0",
            "٣",
            "nan",
            "\n",
            " ",
            "100000",
            "avg300=7",
        ]
        names = ("cpu_weight", "cpu_max", "cpu_stat", "cpuset_cpus", "memory_min", "memory_high", "memory_max",
                 "memory_current", "memory_stat", "cpu_pressure")  # fmt: skip
        for _ in range(300):
            texts = {name: " ".join(chance.choices(words, k=chance.randrange(3))) for name in names}
            folder = self.root / "a.scope"
            folder.mkdir(exist_ok=True)
            (folder / "cgroup.events").write_text("populated 1\n", encoding="ascii")
            for name, text in texts.items():
                (folder / name.replace("_", ".", 1)).write_text(text, encoding="utf-8")
            try:
                found = self.read()
                add_items(Plan(), [*found.hosts, *found.guests])
            except RuvexError as error:
                self.assertIsInstance(error, PlanFileError | PlanError, str(error))

    def test_by_command(self) -> None:
        """A folder is brought in as a plan that can be divided."""
        self.group("mail.service", memory_current=str(300 * MIB))
        out = self.root.parent / "here.ruvex.json"
        told = run("bring", str(self.root), "--out", str(out))
        self.assertEqual((told.returncode, told.stderr), (0, ""))
        plan = read_plan(out).plan
        self.assertEqual(([guest.name for guest in plan.guests], len(plan.hosts)), (["mail"], 1))
        self.assertEqual(run("divide", str(out)).returncode, 0)


class Names(unittest.TestCase):
    """Names of units."""

    @settings(max_examples=many(200))
    @given(st.text(st.characters(categories=("L", "N", "P")), min_size=1, max_size=40))
    def test_what_is_escaped_is_read(self, text: str) -> None:
        """A name comes back, and is one part: nothing in it is taken for a slice in a slice, or a folder."""
        written = escape(text)
        self.assertRegex(written, r"\A[A-Za-z0-9:_.\\]+\Z")
        self.assertFalse(written.startswith("."))
        self.assertEqual(name_of(f"machine-{written}.slice"), text)


def with_disks() -> Plan:
    """Give guests with disks in pools and beside them, of shares far apart, and one without."""
    guests = [
        {"id": "a", "pool": "inner", "disks": [{"id": "d", "store": "s", "shares": 170, "limit_ops": 60}]},
        {"id": "b", "pool": "outer", "disks": [{"id": "d", "store": "s"}, {"id": "e", "store": "s", "shares": 40}]},
        {"id": "c", "disks": [{"id": "d", "store": "s", "shares": 0.5}]},
        {"id": "z"},
    ]
    pools = [{"id": "outer"}, {"id": "inner", "parent": "outer"}]
    return plan_of(guests, pools, stores=[{"id": "s"}])


class Out(unittest.TestCase):
    """Writing."""

    def setUp(self) -> None:
        """Divide the demo and write it."""
        file = read_plan(DEMO)
        self.plan = file.plan
        self.division = divide(site_of(file.plan, file.traces))
        self.files = drop_ins(self.division)

    def settings_of(self, path: str) -> dict[str, str]:
        """Give what a file sets."""
        lines = self.files[path].splitlines()[1:]
        return dict(line.split("=", 1) for line in lines)

    def test_by_hand(self) -> None:
        """Everybody who is on has a file on its own host, in its pool's slice, with its weight and bounds."""
        scopes = [path for path in self.files if ".scope.d/" in path]
        self.assertEqual(len(scopes), sum(guest.is_powered for guest in self.plan.guests))
        found = self.settings_of(r"skerry\x2d1/ticket\x2ddb.scope.d/50-ruvex.conf")
        self.assertEqual(found["Slice"], "machine-booking.slice")
        self.assertEqual((found["CPUWeight"], found["MemoryMin"]), ("170", "23552M"))
        position = self.division.position["ticket-db"]
        self.assertAlmostEqual(_mib(found["MemoryLow"]), self.division.memory.delivered[position], delta=1e-5)
        cameras = self.settings_of(r"skerry\x2d1/gate\x2dcameras.scope.d/50-ruvex.conf")
        limit = self.plan.guests[self.plan.guest_index["gate-cameras"]].cpu.limit or 0
        self.assertEqual(cameras["CPUQuota"], f"{limit / self.plan.hosts[0].mhz:.0%}")
        readme = self.files[r"skerry\x2d1/README.txt"]
        self.assertRegex(readme, r"ticket-db: 6\s200 MHz of CPU promised; only its weight")
        self.assertIn("lagoon-sim: off, not written", readme)

    def test_disks_have_a_weight(self) -> None:
        """A guest's disks weigh what their shares say; a slice what all in it do, so that pools have no part."""
        self.files = drop_ins(divide(site_of(with_disks(), {})))
        found = {
            path.split("/")[1].split(".")[0]: self.settings_of(path).get("IOWeight")
            for path in self.files if path.endswith(".conf")
        }  # fmt: skip
        # Beside the slice of 270 a weight of a half would be no whole one: both are scaled.
        self.assertEqual(
            found,
            {"machine-outer": "10000", "machine-outer-inner": "170", "a": "170", "b": "100", "c": "19", "z": None},
        )
        readme = self.files["h/README.txt"]
        self.assertIn("a, disk d: limit of 60 transfers a second; it needs the name of a device", readme)
        self.assertIn("b: its disks have other shares each", readme)

    def test_weights_keep_their_ratio(self) -> None:
        """Among peers, weights are those of the division to a ten-thousandth of the largest."""
        for host, cpu in self._rows().items():
            peers: dict[str | None, list[tuple[float, int]]] = {}
            for row in cpu:
                tail = "-".join(map(escape, self._path(row["id"]))) + ".slice.d" if row["kind"] == "pool" else None
                name = f"machine-{tail}" if tail else f"{escape(row['id'])}.scope.d"
                weight = int(self.settings_of(f"{host}/{name}/50-ruvex.conf")["CPUWeight"])
                self.assertTrue(1 <= weight <= 10_000)
                peers.setdefault(row["parent"], []).append((row["weight"], weight))
            for pairs in peers.values():
                most = max(pairs)
                for exact, written in pairs:
                    self.assertAlmostEqual(written / most[1], exact / most[0], delta=0.5 / most[1] + 1e-9)

    def test_weights_stay_in_the_kernels_bounds(self) -> None:
        """1 and 10 000 are written as they are; 10 001 is scaled to 10 000; 1 beside it is raised to 1, and told."""
        for shares, written, told in (((1, 10_000), (1, 10_000), False), ((2, 10_001), (2, 10_000), False),
                                      ((1, 40_000), (1, 10_000), True)):  # fmt: skip
            plan = plan_of([cpu_guest(name, 10, shares=share) for name, share in zip("ab", shares, strict=True)])
            self.files = drop_ins(divide(site_of(plan, {})))
            found = [int(self.settings_of(f"h/{name}.scope.d/50-ruvex.conf")["CPUWeight"]) for name in "ab"]
            self.assertEqual(tuple(found), written)
            self.assertEqual("a: weighs too little beside its peers" in self.files["h/README.txt"], told)

    def test_numbers_of_threads(self) -> None:
        """Of four cores, 0 and 2 are their threads 0 and 2, and 4 and 6 as well where second threads are used."""
        host = HOST | {"cores_per_socket": 4, "threads_per_core": 2}
        for second, written in ((True, "0,2,4,6"), (False, "0,2")):
            guest = cpu_guest("a", 10) | {"cores": {"only": [0, 2], "second_threads": second}}
            self.files = drop_ins(divide(site_of(plan_of([guest], host=host), {})))
            self.assertEqual(self.settings_of("h/a.scope.d/50-ruvex.conf")["AllowedCPUs"], written)

    def _rows(self) -> dict[str, list[dict[str, object]]]:
        document = self.division.to_json()["cpu"]["places"]
        return {escape(place["host"]): place["rows"] for place in document}

    def _path(self, pool: str) -> list[str]:
        above = self.plan.pools[self.plan.pool_index[pool]].parent
        return [*(self._path(above) if above else []), pool]

    def test_systemd_takes_it(self) -> None:
        """Every file, as that of a slice, is read by systemd itself without a word of complaint."""
        verify = shutil.which("systemd-analyze")
        if verify is None:
            self.skipTest("there is no systemd-analyze here")
        with tempfile.TemporaryDirectory() as folder:
            units = []
            files = self.files | drop_ins(divide(site_of(with_disks(), {})))
            self.assertIn("IOWeight=10000", "".join(files.values()))
            for number, (path, text) in enumerate(files.items()):
                if path.endswith(".conf"):
                    # A scope has no file of its own that could be verified; what it sets is what a slice may set.
                    unit = Path(folder) / f"u{number}.slice"
                    unit.write_text(re.sub(r"\[Scope\]\nSlice=.*", "[Slice]", text), encoding="utf-8")
                    units.append(str(unit))
            bad = Path(folder) / "bad.slice"
            bad.write_text("[Slice]\nCPUWeight=20000\n", encoding="ascii")
            told = subprocess.run([verify, "verify", *units], capture_output=True, text=True, check=False)
            self.assertEqual((told.returncode, told.stderr), (0, ""))
            refused = subprocess.run([verify, "verify", str(bad)], capture_output=True, text=True, check=False)
            self.assertIn("Invalid CPU weight", refused.stderr)

    def test_by_command(self) -> None:
        """The folder is whole; one with something in it stays as it is."""
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "units"
            told = run("give", str(DEMO), "--as", "systemd", "--out", str(out))
            self.assertEqual((told.returncode, told.stderr), (0, ""))
            found = {str(path.relative_to(out)) for path in out.rglob("*") if path.is_file()}
            self.assertEqual(found, set(self.files))
            again = run("give", str(DEMO), "--as", "systemd", "--out", str(out))
            self.assertEqual(again.returncode, 2)
            self.assertIn("something in it already", again.stderr)
            self.assertEqual([path.name for path in Path(folder).iterdir()], ["units"])


def _mib(text: str) -> float:
    return float(text[:-1]) if text.endswith("M") else int(text) / MIB
