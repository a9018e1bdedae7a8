"""A plan of thousands of guests: read beside the window, opened with its pools folded, scrolled by moving pixels."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.views.guest_list.cells import Cells
from ruvex.plan import Guest, Plan, Pool, plan_text
from tests.desktop.base import LEFT, WindowCase


def large_plan() -> Plan:
    """Give 5 000 guests in 20 pools."""
    hosts = [{"id": "h", "sockets": 2, "cores_per_socket": 450, "mhz": 3100, "memory_mib": 40_000_000}]
    pools = [Pool(id=f"p{i}") for i in range(20)]
    guests = [
        Guest.model_validate({
            "id": f"g{i}", "pool": f"p{i % 20}", "vcpus": 2, "demand": {"cpu": 900, "working": 1500},
            "memory": {"mode": "fixed", "size": 2048}, "tags": ["kept for the night shift of the ferries"],
        }) for i in range(5000)
    ]  # fmt: skip
    return Plan.model_validate({"name": "Large", "hosts": hosts, "pools": pools, "guests": guests})


class Large(WindowCase):
    """What happens until it is there, and then."""

    large: Path

    def setUp(self) -> None:
        """Write the plan."""
        super().setUp()
        self.large = self.folder / "large.ruvex.json"
        self.large.write_text(plan_text(large_plan()), encoding="utf-8")

    def test_it_is_read_beside_the_window(self) -> None:
        """Until it is there the open plan can be worked with; what was changed meanwhile is asked about."""
        self.open_demo()
        self.window.open_path(self.large)
        self.assertIn("is being read", self.window.notice.text)
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")
        self.desk.trial.change("mail", {"cpu.shares": 300}, "more")
        self.settle()
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")
        self.assertIn("changes that are not saved", self.window.notice.text)
        go_on = next(button for button in self.window.notice.choices if "without" in button.text())
        QTest.mouseClick(go_on, LEFT)
        self.settle()
        self.assertEqual(len(self.desk.look.plan.guests), 5000)
        self.assertEqual({row.kind for row in self.butterfly.row_list.rows}, {"pool"}, "pools are folded at first")
        self.run_action(ActionName.UNFOLD_ALL)
        self.assertEqual(len(self.butterfly.row_list.rows), 5020)
        self.desk.trial.change("g7", {"cpu.shares": 300}, "more")
        self.assertEqual(len(self.butterfly.row_list.rows), 5020, "and folded once only")

    def test_reading_can_be_left(self) -> None:
        """The one button of the notice, or another plan that is opened, and nothing follows."""
        self.open_demo()
        self.window.open_path(self.large)
        QTest.mouseClick(self.window.notice.choices[0], LEFT)
        self.settle()
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")
        self.window.open_path(self.large)
        self.window.open_path(self.folder / "demo" / "stories" / "1-sale.ruvex.json")
        self.settle()
        self.assertLess(len(self.desk.look.plan.guests), 100)
        self.window.open_path(self.large)
        self.run_action(ActionName.NEW)
        self.assertEqual(self.window.notice.text if self.window.notice.isVisible() else "", "", "it comes no more")
        self.assertEqual(len(self.desk.look.plan.guests), 0)

    def test_faults_are_listed(self) -> None:
        """Those of a large file as those of a small one; what was open stays."""
        self.open_demo()
        self.large.write_text(self.large.read_text(encoding="utf-8").replace('"pool": "p3"', '"pool": "nowhere"', 1))
        self.window.open_path(self.large)
        self.settle()
        self.assertIn("large.ruvex.json was not opened", self.window.notice.text)
        self.assertIn("nowhere", self.window.notice.text)
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")

    def test_the_list_scrolls_what_is_painted(self) -> None:
        """Three rows further, three rows and little more are painted."""
        self.window.open_path(self.large)
        self.settle()
        self.go_to("list")
        grid = self.window.views["list"].grid
        bar = grid.verticalScrollBar()
        assert bar is not None
        bar.setValue(2000)
        self.settle()
        painted: list[int] = []
        paint = Cells.paint
        Cells.paint = lambda cells, painter, option, index: (  # type: ignore[method-assign]
            painted.append(index.row()), paint(cells, painter, option, index))[1]  # fmt: skip
        self.addCleanup(setattr, Cells, "paint", paint)
        bar.setValue(2000 + 3 * grid.rowHeight(0))
        self.application.processEvents()
        self.assertGreater(len(set(painted)), 2)
        self.assertLess(len(set(painted)), 8)

    def test_pools_as_deep_as_a_well(self) -> None:
        """5 000 pools in each other, in every view and with the steps of a figure: nothing ends in a recursion."""
        pools = [Pool(id=f"p{i}", parent=f"p{i - 1}" if i else None) for i in range(5000)]
        guests = [Guest(id="a", pool="p4999"), Guest(id="b", pool="p2000")]
        path = self.folder / "deep.ruvex.json"
        path.write_text(
            plan_text(Plan(name="Deep", day_s=90, moment=60, pools=tuple(pools), guests=tuple(guests))),
            encoding="utf-8",
        )
        self.assertTrue(self.window.open_path(path))
        self.desk.selection.select("a")
        self.desk.trial.change("a", {"cpu.shares": 300}, "more")
        for name in self.window.views:
            self.window.show_view(name)
            self.settle()
        self.run_action(ActionName.WHY)
        self.assertEqual(len(self.butterfly.row_list.rows), 5002)
