"""Tables: blocks of a spreadsheet, files of CSV, folders of them."""

from __future__ import annotations

import contextlib
import json
import tempfile
import unittest
from pathlib import Path
from random import Random
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.exchange import (
    TABLE_KINDS,
    cells_of,
    give_out,
    headings_of,
    kind_of,
    read_brought,
    read_cells,
    read_table,
    table_of,
    table_of_guests,
    with_brought,
)
from ruvex.plan import Guest, Plan, PlanError, RuvexError, SurgeEvent, add_items, parse_memory, plan_from
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.divide.strategies import plans
from tests.exchange.damage import DAMAGED, damaged
from tests.thorough import many

POOLS = [{"id": "sea", "name": "Sea side"}]


def rows(*lines: str) -> str:
    """Join lines written with bars instead of tabs."""
    return "\n".join(line.replace(" | ", "\t") for line in lines)


def settled(item: Any) -> dict[str, Any]:
    """Give all that an item is; what has no name of its own is called by its id."""
    data: dict[str, Any] = item.model_dump()
    return data if "name" not in data else data | {"name": item.label}


def named_alike(plan: Plan, chance: Random) -> Plan:
    """Give a plan with rules and events whose items have names that try a reader: alike, with commas, in brackets."""
    data = json.loads(plan.model_dump_json())
    for kind in ("hosts", "pools", "guests"):
        for number, item in enumerate(data[kind]):
            begin = chance.choice(["", "Sea, side", "[a", "Rules; 2", 'Quay "1"', "A/B"])
            item["name"] = begin and f"{begin} {kind} {number}"
    data["stores"] = [
        {"id": f"store-{k}", "name": chance.choice(["", "Slate, fast"]) and f"Slate, fast {k}", "ops": 900.25 + k,
         "kind": chance.choice(["ssd", "hdd"]), "promises": k == 0}
        for k in range(chance.randrange(3))
    ]  # fmt: skip
    for host in data["hosts"]:
        host["links"] = [{"id": "a", "mib_s": 117.5}][: chance.randrange(2)]
        host["store"] = chance.choice([None, *(store["id"] for store in data["stores"])])
    for guest in data["guests"]:
        guest["disks"] = [
            {"id": f"d{k}", "store": store["id"], "shares": 170, "limit_ops": chance.choice([None, 60.5]),
             "reservation_ops": 0.25 if store["promises"] else 0}
            for k, store in enumerate(data["stores"])
        ]  # fmt: skip
        guest["link"] = chance.choice([{}, {"shares": 40, "limit_mib_s": 11.5}])
        guest["demand"]["ops"] = chance.choice(
            [0, 31.5, {"kind": "daily", "low": 1, "high": 9, "peak_at": 60, "width_h": 2}]
        )
    ids = [guest["id"] for guest in data["guests"]]
    if len(ids) > 2:
        data["placement"] = [{"kind": "apart", "guests": ids[:2]}]
        data["placement"] += [{"kind": "stays", "guests": ids[1:], "hosts": [h["id"] for h in data["hosts"]]}]
    data["events"] = [
        {"at": 60.5, "do": "surge", "target": data["pools"][0]["id"], "factor": 1 / 3, "for_s": 0.7},
    ] if data["pools"] and ids else []  # fmt: skip
    data["events"] += [{"at": 90, "do": "power-off", "target": one, "note": "by, hand"} for one in ids[:1]]
    data["events"] += [{"at": 95, "do": "set", "target": one, "change": {"cpu.shares": 7.3}} for one in ids[-1:]]
    data["events"] += [{"at": 99, "do": "set", "target": "rules", "change": {"idle_counts_as": 2}, "id": "e-1"}]
    return plan_from(data if data["hosts"] else data | {"placement": []})


class Reading(unittest.TestCase):
    """From cells to guests."""

    def setUp(self) -> None:
        """Make a plan of one pool."""
        self.plan = plan_of([], POOLS)

    def test_units_in_headings_and_cells(self) -> None:
        """A unit in the cell goes before that of the heading; bare numbers are GHz and GiB."""
        text = rows(
            "Name | Pool | vCPUs | CPU reservation (MHz) | CPU limit | Memory [GiB] | memory reservation | Tags | Etc",
            "ferry-1 | Sea side | 4 | 500 | 50 % | 8 | 2048 MiB | core, web | old",
            "ferry-2 | sea | 2 | 1.5 GHz | 1.5 | 4096 MiB | 1 |  | ",
        )
        found = read_table(text, self.plan)
        one, two = found.guests
        self.assertEqual((one.pool, one.vcpus, one.tags), ("sea", 4, ("core", "web")))
        self.assertEqual((one.cpu.reservation, one.cpu.limit), (500, 2000))
        self.assertEqual((one.memory.size, one.memory.reservation), (8192, 2048))  # type: ignore[union-attr]
        self.assertEqual((two.cpu.reservation, two.cpu.limit, two.memory.size), (1500, 1500, 4096))
        self.assertEqual(found.left_out, ("Etc",))

    def test_modes_and_new_pools(self) -> None:
        """Elastic settings make an elastic guest; a pool that is not there yet is made."""
        text = rows("name | boot | floor | ceiling | pool", "a | 4 | 1 | 8 | Shore", "b | 2 | 1 | 2 | shore")
        found = read_table(text, self.plan)
        self.assertEqual([guest.memory.mode for guest in found.guests], ["elastic", "elastic"])
        self.assertEqual([pool.name for pool in found.pools], ["Shore"])
        self.assertEqual({guest.pool for guest in found.guests}, {found.pools[0].id})
        with_brought(self.plan, found)

    def test_commas_semicolons_and_tabs(self) -> None:
        """The separator is found, whatever stands in the cells; a decimal comma stays one."""
        for text in (
            'name,vCPUs,memory (GiB)\r\nferry-1,4,"8,5"\r\nferry-2,2,1\r\n',
            "\ufeffname;vCPUs;memory (GiB)\nferry-1;4;8,5\nferry-2;2;1\n",
            "name\tvCPUs\tmemory (GiB)\nferry-1\t4\t8,5\nferry-2\t2\t1",
        ):
            found = read_table(text, self.plan).guests
            self.assertEqual(
                [(g.name, g.vcpus, g.memory.size) for g in found], [("ferry-1", 4, 8704), ("ferry-2", 2, 1024)]
            )

    def test_headings_by_meaning(self) -> None:
        """Words in another order, short forms and units behind them mean the same; nobody's word stays open."""
        headings = headings_of(["Machine name", "max memory GB", "CPU Cores", "Status", "mem", "Berth", "Pool path"])
        self.assertEqual(
            [(h.unit, h.setting) for h in headings],
            [("", "name"), ("gb", "memory.ceiling"), ("", "vcpus"), ("", "power"), ("", "memory.size"), ("", None),
             ("", "pool")],
        )  # fmt: skip

    def test_common_words_for_on_and_off(self) -> None:
        """Whatever a list calls it."""
        text = rows(
            "name | state", *(f"g-{i} | {word}" for i, word in enumerate(("Running", "stopped", "UP", "shut off")))
        )
        self.assertEqual([g.power for g in read_table(text, self.plan).guests], ["on", "off", "on", "off"])

    def test_pool_paths_nest(self) -> None:
        """a/b is the pool b in a; what is there already is found, what is not is made once."""
        text = rows("name | pool", "a | Sea side/Quay", "b | Sea side/quay", "c | Shore / Mail", "d | Quay")
        found = read_table(text, self.plan)
        plan = with_brought(self.plan, found)
        names = {pool.id: pool for pool in plan.pools}
        self.assertEqual(
            [(p.name, names[p.parent].name if p.parent else None) for p in found.pools],
            [("Quay", "Sea side"), ("Shore", None), ("Mail", "Shore"), ("Quay", None)],
        )
        self.assertEqual(found.guests[0].pool, found.guests[1].pool)
        self.assertEqual(names[found.guests[2].pool or ""].parent, found.pools[1].id)

    def test_nothing_is_filled_in_unsaid(self) -> None:
        """A working set is what is touched too; what has no column is told with what stands for it."""
        found = read_table(rows("name | working set", "a | 2"), self.plan)
        self.assertEqual((found.guests[0].demand.working, found.guests[0].demand.touched), (2048, 2048))
        self.assertEqual(
            [t.replace("\u202f", " ") for t in found.told],
            ["Not in the table: CPU demand 1.50 GHz each, touched what it works with."],
        )

    def test_columns_can_be_assigned(self) -> None:
        """A column that nobody foresaw is what a person says it is, and another one is left out."""
        cells = cells_of(rows("boat | berth | memory", "ferry-1 | 3 | 8"))
        with self.assertRaises(PlanError):
            read_cells(cells, "guests", [None, "vcpus", None], self.plan)
        found = read_cells(cells, "guests", ["name", "vcpus", None], self.plan)
        self.assertEqual((found.guests[0].name, found.guests[0].vcpus, found.left_out), ("ferry-1", 3, ("memory",)))

    def test_names_stay_apart(self) -> None:
        """The same block pasted twice makes guests of further names."""
        text = rows("name", "web-1", "web-1", "Möwe")
        found = read_table(text, self.plan)
        self.assertEqual([g.name for g in found.guests], ["web-1", "web-2", "Möwe"])
        again = read_table(text, add_items(self.plan, found.guests))
        self.assertEqual([g.name for g in again.guests], ["web-3", "web-4", "Möwe-2"])

    def test_many_alike(self) -> None:
        """Ten thousand rows of one name are ten thousand guests of different names and ids, without delay."""
        found = read_table("name\n" + "web\n" * 10_000, self.plan).guests
        self.assertEqual(len({guest.name for guest in found} | {guest.id for guest in found}), 10_000)
        self.assertEqual(found[-1].name, "web-10000")

    def test_rubbish_is_refused_with_its_place(self) -> None:
        """Each fault names row and column; nothing is half taken."""
        for text, expected in (
            ("", "there is nothing in it"),
            ("hello\nworld", "does not name the columns"),
            ("\x00\x01\x02", "does not name the columns"),
            ('name\n"a', "row 2 has a quotation mark that is not closed"),
            ('name\tpool\n"a"b\tc', "row 2 has a quotation mark"),
            ("name", "no rows below the header"),
            (rows("name | vCPUs", "a | many"), "row 2, vCPUs"),
            (rows("name | vCPUs", "a | 2.5"), "row 2, vCPUs"),
            (rows("name | vCPUs", "a | -3"), "row 2, vcpus"),
            (rows("name | memory", "a | 4", "b | 4 parsecs"), "row 3, memory size"),
            (rows("name | CPU limit", "a | 1e400"), "row 2, CPU limit"),
            (rows("name | CPU limit | CPU shares", "a | 0 | -5"), "row 2, cpu.limit"),
            (rows("name | power", "a | perhaps"), "row 2, power"),
            (rows("name | vCPUs", " | 2"), "row 2, name"),
            (rows("name | CPU demand", 'a | {"kind": "daily"'), "row 2, CPU demand"),
            ("name\n" + "a\n" * 10_001, "too many"),
            ("name\t" + "x" * 9_000_000, "characters are more"),
        ):
            with self.subTest(text=text[:40]), self.assertRaises(PlanError) as caught:
                read_table(text, self.plan)
            self.assertIn(expected, str(caught.exception))

    @settings(max_examples=many(100))
    @given(st.text(max_size=300))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        """Whatever is pasted, there is an answer and no other error."""
        for block in (text, "name\tvCPUs\tCPU limit\tmemory size\tpool\n" + text):
            try:
                found = read_table(block, self.plan)
            except PlanError as error:
                self.assertTrue(str(error))
            else:
                with_brought(self.plan, found)


class Damaged(unittest.TestCase):
    """Files that were changed on their way."""

    def test_each_is_read_or_refused(self) -> None:
        """Tables of every kind with bytes changed, cut out or doubled: each is read, or refused in words."""
        plan = named_alike(plan_of([{"id": g, "pool": "sea"} for g in ("web", "mail", "wiki")], pools=POOLS), Random(7))
        whole = [table_of(plan, kind).encode() for kind in TABLE_KINDS]
        count = 0
        for content in damaged(whole, DAMAGED):
            with contextlib.suppress(RuvexError):
                with_brought(plan, read_table(content.decode("utf-8", "replace"), plan))
                count += 1
        self.assertGreater(count, DAMAGED // 20, "some damage is none that matters")
        self.assertLess(count, DAMAGED * 95 // 100)


class Writing(unittest.TestCase):
    """From guests to cells and back."""

    def test_signals_come_back(self) -> None:
        """A demand over the day is written as it stands in the file."""
        signal = {"kind": "daily", "low": 1, "high": 9, "peak_at": "08:10", "width_h": 2}
        plan = plan_of([{"id": "a", "demand": {"cpu": signal}, "image": "sea"}])
        back = read_table(table_of_guests(plan, ["a"]), plan_of([])).guests[0]
        self.assertEqual(
            json.loads(back.model_dump_json())["demand"], json.loads(plan.guests[0].model_dump_json())["demand"]
        )

    @settings(max_examples=many(50))
    @given(plans(banks=False), st.sampled_from("\t,"))
    def test_a_pool_stands_for_its_guests_and_all_comes_back(self, plan: Plan, separator: str) -> None:
        """Copying everything and pasting it into a plan without guests gives the same guests; so does a file."""
        bare = plan.model_copy(update={"guests": ()})
        for index in ("host_index", "pool_index", "guest_index"):
            bare.__dict__.pop(index, None)
        chosen = [*(p.id for p in plan.pools), *(g.id for g in plan.guests if g.pool is None)]
        text = table_of_guests(plan, chosen, separator)
        if not plan.guests:
            return

        def settings_of(guest: Guest) -> dict[str, object]:
            data = guest.model_dump(exclude={"id", "name", "boot_s", "hot_add"})
            return data | {"demand": {k: v for k, v in data["demand"].items() if k in ("cpu", "working", "touched")}}

        back = read_table(text, bare).guests
        self.assertEqual([settings_of(g) for g in back], [settings_of(g) for g in plan.guests])
        self.assertEqual([g.name for g in back], [g.label for g in plan.guests])

    @settings(max_examples=many(60))
    @given(plans(), st.randoms(use_true_random=False))
    def test_a_folder_of_tables_is_the_site(self, plan: Plan, chance: Random) -> None:
        """Hosts, pools, guests, rules and events given out as tables come back into an empty plan just as they were."""
        plan = named_alike(plan, chance)
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "site"
            give_out(site_of(plan, {}), "csv", out)
            back = with_brought(Plan(), read_brought(out, Plan(), {}))
        for kind in TABLE_KINDS:
            self.assertEqual(
                [settled(item) for item in getattr(back, kind)], [settled(item) for item in getattr(plan, kind)]
            )

    def test_what_the_rows_are(self) -> None:
        """The headings tell; rows of any order find what they name, also further down."""
        for text, kind in (
            ("Pool;Parent;Owner\nQuay;Sea;Ann\nSea;;Bo\n", "pools"),
            ("Host,Sockets,Cores,RAM (GB),Clock\nnorth,2,24,96,2.2\n", "hosts"),
            ("rule\tguests\napart\tweb, mail\n", "placement"),
            ("time;event;of;lasts;factor\n08:10;surge;mail;00:20;3\n", "events"),
        ):
            self.assertEqual(kind_of(cells_of(text)[0]), kind)
        there = plan_of([{"id": "web"}, {"id": "mail"}])
        pools = read_table("Pool;Parent;Owner\nQuay;Sea;Ann\nSea;;Bo\n", there).pools
        self.assertEqual([(p.name, p.parent, p.owner) for p in pools], [("Quay", "sea", "Ann"), ("Sea", None, "Bo")])
        host = read_table("Host,Sockets,Cores,RAM (GB),Clock\nnorth,2,24,96,2.2\n", there).hosts[0]
        self.assertEqual((host.sockets, host.cores_per_socket, host.mhz), (2, 12, 2200))
        self.assertEqual(host.memory_mib, parse_memory("96 GB"))
        rule = read_table("rule\tguests\napart\tweb, mail\n", there).placement[0]
        self.assertEqual((rule.kind, rule.guests), ("apart", ("web", "mail")))
        event = read_table("time;event;of;lasts;factor\n08:10;surge;mail;00:20;3\n", there).events[0]
        assert isinstance(event, SurgeEvent)
        self.assertEqual((event.at, event.target, event.for_s, event.factor), (29_400, "mail", 1200, 3))
        for text, expected in (
            ("rule\tguests\napart\tweb, nobody\n", "row 2, guests: there is no 'nobody' in the plan"),
            ("rule\tguests\napart\tweb\n", "row 2, guests"),
            ("rule\tguests\napart\tweb, mail\ntogether\tweb, mail\n", "to be apart here, and together by another rule"),
            ("time;event;of\n08:10;jump;mail\n", "row 2"),
            ('time;event;of;change\n08:10;set;mail;"{""cpu.share"": 2}"\n', "cpu.share"),
            ("Host,Sockets,RAM\nnorth,0,9\n", "row 2, sockets"),
        ):
            with self.assertRaises(PlanError) as caught:
                read_table(text, there)
            self.assertIn(expected, str(caught.exception))

    def test_a_host_that_is_not_there_is_made(self) -> None:
        """An inventory that names hosts brings them, as usual ones are, and says so."""
        found = read_table(rows("name | host", "a | Pier 1", "b | pier 1", "c | h"), plan_of([]))
        self.assertEqual([host.name for host in found.hosts], ["Pier 1"])
        self.assertEqual([guest.host for guest in found.guests], ["pier-1", "pier-1", "h"])
        self.assertIn("New hosts, as usual ones are: Pier 1", " ".join(found.told))

    def test_a_second_host_is_named(self) -> None:
        """With two hosts the cells say which one."""
        hosts = [HOST | {"id": "h", "name": "North pier"}, HOST | {"id": "k"}]
        plan = plan_of([{"id": "a", "host": "k"}], host=None, hosts=hosts)
        back = read_table(table_of_guests(plan, ["a"]).replace("\tk\t", "\tnorth PIER\t"), plan)
        self.assertEqual(back.guests[0].host, "h")
