"""What each owner has, and the page that tells it."""

from __future__ import annotations

import json
import re
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from lxml import html

from ruvex.divide import divide, site_shares
from ruvex.ledger import LookFigures, Owner, owners_of
from ruvex.plan import THIN_SPACE, Plan, PlanFileError, plan_text, read_plan
from ruvex.play import Player
from ruvex.report import report_of, write_report
from ruvex.report._charts import day_chart
from ruvex.report._page import html_of
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.cli.inside import run
from tests.demo import DEMO
from tests.divide.strategies import plans
from tests.thorough import many


def owners_for(plan: Plan, hour_s: float = 600.0) -> tuple[tuple[Owner, ...], Player]:
    """Play a short day of a plan, and give its owners."""
    site = site_of(plan, {})
    day = Player(site, until_s=hour_s, record_s=60.0)
    day.run()
    return owners_of(divide(site), day), day


class Owners(unittest.TestCase):
    """Promised, used, lent, unmet and parts."""

    def test_what_one_has_won_does_not_hide_what_another_lends(self) -> None:
        """Of 2 GHz promised one guest uses 0.5, its neighbour has won 3; of a pool's 6 one that nobody has is lent."""
        guests = [cpu_guest("idle", 500, reservation=2000, pool="p"), cpu_guest("busy", 3000, vcpus=4, pool="p")]
        (ann,), _ = owners_for(plan_of(guests, [{"id": "p", "owner": "Ann", "cpu": {"reservation": 6000}}]))
        self.assertAlmostEqual(ann.guests["idle"][0].lent, 1500)
        self.assertAlmostEqual(ann.cpu.lent, 2500)
        self.assertAlmostEqual(ann.pools["p"][0].lent, 2500)

    def test_owners_and_banks_have_all_that_is_promised(self) -> None:
        """The table adds up to what the page says is promised, with a line for what banks hold for nobody by name."""
        host = HOST | {"bank": {"size_mib": 3000, "max_mib": 9000}}
        guests = [memory_guest("a", 900, mode="thin", size=2000, reservation=700, pool="p"),
                  memory_guest("b", 900, mode="thin", size=2000, reservation=500, bank=True)]  # fmt: skip
        plan = plan_of(guests, [{"id": "p", "owner": "Ann"}], host=host)
        owners, _ = owners_for(plan)
        division = divide(site_of(plan, {}))
        banks = float(LookFigures(division).promises.of_banks)
        self.assertEqual(banks, 3000)
        self.assertAlmostEqual(sum(owner.memory.promised for owner in owners) + banks, division.memory.promised)
        self.assertEqual([owner.memory.lent for owner in owners if not owner.pools], [0.0])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "x.ruvex.json")
            path.write_text(plan_text(plan), encoding="utf-8")
            self.assertRegex(run("owners", str(path)).stdout.replace(THIN_SPACE, " "), r"the banks +2\.93 GiB")
            self.assertEqual(json.loads(run("owners", str(path), "--json").stdout)["banks_mib"], 3000)

    def test_by_hand(self) -> None:
        """A pool in another's counts for its own owner; what is promised and idle is lent; unmet counts in hours."""
        plan = plan_of(
            [cpu_guest("a", 1000, pool="p", vcpus=2), cpu_guest("b", 4000, pool="q", vcpus=4),
             cpu_guest("c", 9000, pool="r", vcpus=9), cpu_guest("d", 500)],
            [{"id": "p", "owner": "Ann", "cpu": {"reservation": 5000}}, {"id": "q", "parent": "p", "owner": "Bo",
             "cpu": {"reservation": 3000}}, {"id": "r", "parent": "p", "cpu": {"limit": 3000}}],
        )  # fmt: skip
        owners, _ = owners_for(plan)
        found = {owner.name: owner for owner in owners}
        self.assertEqual(set(found), {"Ann", "Bo", "nobody named"})
        self.assertEqual(list(found["Ann"].pools), ["p", "r"])
        self.assertEqual(list(found["Ann"].guests), ["a", "c"])
        self.assertEqual({name: owner.cpu.promised for name, owner in found.items()},
                         {"Ann": 2000, "Bo": 3000, "nobody named": 0})  # fmt: skip
        # Ten cores suffice for all but c, which its pool's limit holds at 3 of 9 GHz.
        self.assertAlmostEqual(found["Ann"].cpu.mean, 4000)
        self.assertAlmostEqual(found["Ann"].cpu.lent, 0)
        self.assertAlmostEqual(found["Ann"].cpu.unmet_hours, 6000 * 11 * 60 / 3600)
        self.assertAlmostEqual(found["Ann"].pools["r"][0].unmet_hours, 6000 * 11 * 60 / 3600)
        self.assertAlmostEqual(found["Bo"].cpu.unmet_hours, 0)
        # At the top the pool and d are peers; in the pool its guest a and the pools q and r are.
        self.assertAlmostEqual(found["Ann"].cpu.part, 0.5 * 2 / 3)
        self.assertAlmostEqual(found["Bo"].cpu.part, 0.5 / 3)
        self.assertAlmostEqual(found["nobody named"].cpu.part, 0.5)

    @settings(max_examples=many(40))
    @given(plans(max_guests=6, host_counts=(1, 2, 3)), st.randoms(use_true_random=False))
    def test_nothing_is_counted_twice_or_lost(self, plan: Plan, chance: object) -> None:
        """What owners have adds up to what the site has: promises, parts, use over the day, and what is unmet."""
        data = plan.model_dump()
        for pool in data["pools"]:
            pool["owner"] = chance.choice(["", "Ann", "Bo"])  # type: ignore[attr-defined]
        plan = Plan.model_validate(data)
        owners, day = owners_for(plan)
        site = site_of(plan, {})
        division = divide(site)
        self.assertEqual(sorted(g for owner in owners for g in owner.guests), sorted(plan.guest_index))
        self.assertEqual(sorted(p for owner in owners for p in owner.pools), sorted(plan.pool_index))
        on = [i for i, guest in enumerate(plan.guests) if division.on[division.position[guest.id]]]
        for k, (resource, wanted, had) in enumerate(
            ((division.cpu, "cpu_wanted", "cpu_delivered"), (division.memory, "need", "backed"))
        ):
            parts = [owner.cpu if k == 0 else owner.memory for owner in owners]
            others = float(LookFigures(division).promises.of_banks) if k else 0.0
            promised = sum(p.promised for p in parts) + others
            self.assertAlmostEqual(promised, resource.promised, delta=1e-6 * max(1.0, promised))
            shares = site_shares(division, resource)
            whole = sum(shares[division.position[plan.guests[i].id]] for i in on)
            self.assertAlmostEqual(sum(p.part for p in parts), whole)
            series = day.recording.series
            total = np.asarray(series(had), dtype=np.float64).sum(axis=0)
            over = sum((p.used_over for p in parts), np.zeros(total.size))
            np.testing.assert_allclose(over, total, rtol=1e-6, atol=1e-6)
            # What one guest has beyond its want makes up for no other's lack; of memory what is needed and not met.
            asked = np.asarray(series(wanted), dtype=np.float64)
            missing = np.maximum(asked - series(had), 0) if k == 0 else asked * (1 - np.asarray(series("met")))
            lacking = float((missing * (series("phase") >= 2)).sum()) * 60 / 3600
            self.assertAlmostEqual(sum(p.unmet_hours for p in parts), lacking, delta=1e-6 * max(1.0, lacking))


class Charts(unittest.TestCase):
    """What a day's chart shows, read off its outlines."""

    def _drawn(self, *lines: list[float], supply: float = 4.0) -> Any:
        times = np.linspace(0.0, 86_400.0, len(lines[0]))
        wanted, used, lacking = (np.array(line) for line in lines)
        return html.fromstring(day_chart(times, wanted, used, lacking, ("supply", supply), "GHz", "CPU <of> a & b"))

    def _outline(self, chart: Any, kind: str) -> list[tuple[float, float]]:
        (told,) = chart.xpath(f"./path[@class='{kind}']/@d")
        return [(float(x), float(y)) for x, y in re.findall(r"([\d.]+) ([\d.]+)", told)]

    def test_lines_and_areas_lie_where_the_axes_say(self) -> None:
        """1, 6 and 2 GHz wanted of which 1, 4 and 2 were had, beside a supply of 4; marks at 0, 2, 4 and 6."""
        chart = self._drawn([1, 6, 2], [1, 4, 2], [0, 2, 0])
        told, heights = (chart.xpath(f"./text[@text-anchor='end']/{what}")[1:] for what in ("text()", "@y"))
        marks = dict(zip(told, (float(y) - 3.5 for y in heights), strict=True))
        self.assertEqual(list(marks), ["0", "2", "4", "6"])
        wanted, had, lacking = (self._outline(chart, kind) for kind in ("wanted", "had", "lacking"))
        self.assertEqual([y for _, y in wanted], [self._between(marks, 1), marks["6"], marks["2"]])
        self.assertEqual([y for _, y in had[:3]], [self._between(marks, 1), marks["4"], marks["2"]])
        self.assertEqual({y for _, y in had[3:]}, {marks["0"]})
        # The part that lacks stands on what was had.
        self.assertEqual((lacking[1][1], lacking[4][1]), (marks["6"], marks["4"]))
        (bound,) = chart.xpath("./line[@class='bound']/@y1")
        self.assertAlmostEqual(float(bound), marks["4"], delta=0.06)
        noon = wanted[1][0]
        self.assertEqual(chart.xpath(f"./text[@text-anchor='middle'][@x='{noon}']/text()"), ["12:00"])
        self.assertEqual(chart.get("aria-label"), "CPU <of> a & b")
        self.assertEqual(chart.xpath("./text[@font-weight]/text()"), ["CPU <of> a & b"])

    def _between(self, marks: dict[str, float], value: float) -> float:
        return round(marks["0"] + (marks["2"] - marks["0"]) * value / 2, 1)

    def test_nothing_at_all_and_a_minute(self) -> None:
        """No row, no amount: axes and no line of a supply of nothing; ten minutes have marks of their own."""
        empty = html.fromstring(day_chart(*(np.zeros(0),) * 4, ("supply", 0.0), "GHz", "CPU"))
        self.assertEqual(empty.xpath("./path[@class='wanted'] | ./line[@class='bound']"), [])
        times = np.linspace(0.0, 600.0, 7)
        short = html.fromstring(day_chart(times, *(np.ones(7),) * 2, np.zeros(7), ("supply", 1.0), "GHz", "CPU"))
        self.assertEqual(short.xpath("./text[@text-anchor='middle']/text()"),
                         ["00:00", "00:02", "00:04", "00:06", "00:08", "00:10"])  # fmt: skip


class Pages(unittest.TestCase):
    """The report itself."""

    def test_it_stands_alone(self) -> None:
        """All that the owners' table says is there; nothing is fetched, nothing runs, and names cannot break out."""
        evil = '<script>alert(1)</script> & "$x$"'
        plan = plan_of(
            [cpu_guest("a", 20_000, vcpus=9, pool="p"), cpu_guest("b", 900)],
            [{"id": "p", "name": evil, "owner": evil, "cpu": {"reservation": 2500}}], name=evil,
        )  # fmt: skip
        page = html_of(report_of(site_of(plan, {})))
        tree = html.fromstring(page)
        self.assertEqual(tree.xpath("//script | //link | //img | //iframe | //object"), [])
        self.assertEqual([a for a in tree.xpath("//@src | //@href") if not a.startswith("#")], [])
        self.assertEqual(re.findall(r"url\((?!#|&#39;#|'#)[^)]*\)", page), [])
        self.assertEqual(tree.xpath("string(//h1)"), evil)
        self.assertIn(evil, [cell.strip() for cell in tree.xpath("//td/text()")])
        titles = [heading.text_content() for heading in tree.xpath("//h2")]
        self.assertEqual(
            titles, ["The site on a page", "What each owner has", "Worth a look", "What elastic memory saves"]
        )
        self.assertIn("2.50\u202fGHz", page)
        self.assertGreaterEqual(len(tree.xpath("//*[local-name()='svg']")), 4)
        colours = set(re.findall(r"#([0-9a-f]{6})\b", page))
        # Greyscale-safe: there is no colour that is told from another by its hue alone.
        for colour in colours:
            red, green, blue = (int(colour[i : i + 2], 16) for i in (0, 2, 4))
            self.assertLess(max(red, green, blue) - min(red, green, blue), 40, colour)

    def test_very_long_names_leave_charts_their_room(self) -> None:
        """With an owner of 900 letters the axes are as wide as with one of three; the whole name is there."""

        def width(owner: str) -> tuple[float, str]:
            plan = plan_of([cpu_guest("a", 900, pool="p")], [{"id": "p", "owner": owner, "name": owner}])
            page = html_of(report_of(site_of(plan, {})))
            chart = html.fromstring(page).xpath(f"//svg[@aria-label='CPU of {owner}']")
            self.assertEqual(len(chart), 1)
            (axes,) = chart[0].xpath("./path[@class='axes']/@d")
            left, right = (float(x) for x in re.findall(r"M([\d.]+) .*H([\d.]+)", axes)[0])
            return right - left, page

        (short, _), (long, page) = width("Ann"), width("Harbour " * 112 + "west")
        self.assertAlmostEqual(short, long, delta=1.0)
        self.assertGreater(short, 150)
        self.assertIn("CPU of Harbour Harbour", page)
        self.assertIn("…</text>", page)

    def test_names_that_run_from_the_right_turn_nothing_around_them(self) -> None:
        """Hebrew is closed in by isolates; a mark that would turn all that follows is gone, everywhere it is read."""
        plan = plan_of(
            [cpu_guest("a", 900, pool="p") | {"name": "\u202equay 7"}, cpu_guest("b", 900) | {"name": "\u05d0\u05d1 3"},
             cpu_guest("c", 900) | {"name": "\u202e"}],
            [{"id": "p", "owner": "\u05d2\u202e"}],
        )  # fmt: skip
        self.assertEqual([guest.label for guest in plan.guests], ["quay 7", "\u2068\u05d0\u05d1 3\u2069", "c"])
        self.assertEqual(plan.guests[0].called, "\u202equay 7")
        page = html_of(report_of(site_of(plan, {})))
        self.assertNotIn("\u202e", page)
        self.assertEqual(page.count("\u2068"), page.count("\u2069"))
        self.assertIn("\u2068\u05d2\u2069", page)

    def test_a_plan_with_nothing_in_it(self) -> None:
        """It is told in words, without an error."""
        for plan in (Plan(), plan_of([]), plan_of([{"id": "a", "power": "off"}])):
            self.assertIn("No guest has elastic memory.", html_of(report_of(site_of(plan, {}))))

    def test_by_command(self) -> None:
        """A table, a document, a page and a PDF; another ending is refused before anything is played."""
        table = run("owners", str(DEMO))
        self.assertEqual((table.returncode, table.stderr), (0, ""))
        self.assertRegex(table.stdout, r"Passenger sales +12\.7 GHz")
        found = json.loads(run("owners", str(DEMO), "--json").stdout)
        plan = read_plan(DEMO).plan
        self.assertEqual(
            {one["owner"] for one in found["owners"]}, {*(p.owner for p in plan.pools if p.owner), "nobody named"}
        )
        with tempfile.TemporaryDirectory() as folder:
            page, pdf = Path(folder, "r.html"), Path(folder, "r.pdf")
            self.assertEqual(run("owners", str(DEMO), "--out", str(page)).returncode, 0)
            text = page.read_text(encoding="utf-8")
            for word in ("Without skerry-1", "Passenger sales", "on average and", "Remedy: "):
                self.assertIn(word, text)
            small = plan_of([cpu_guest("a", 900)])
            write_report(report_of(site_of(small, {})), pdf)
            self.assertTrue(pdf.read_bytes().startswith(b"%PDF-"))
            self.assertGreater(pdf.stat().st_size, 5000)
            self.assertEqual(run("owners", str(DEMO), "--out", str(pdf) + "x").returncode, 2)
            with self.assertRaises(PlanFileError):
                write_report(report_of(site_of(small, {})), Path(folder, "no", "r.html"))
