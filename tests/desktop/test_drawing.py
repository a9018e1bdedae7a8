"""What is drawn, pixel by pixel where it carries meaning."""

from __future__ import annotations

import unittest

from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtGui import QColor, QImage

from ruvex.desktop.kit.axis import Axis, binary_step, decimal_step
from ruvex.desktop.kit.theme import DARK, LIGHT, blend
from ruvex.desktop.state.rows import Heights, RowList
from ruvex.desktop.views.division.frame import frame_for
from ruvex.divide import divide
from ruvex.site import site_of
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.desktop.base import WindowCase


class Bars(WindowCase):
    """The parts of a bar on a plan whose figures are known."""

    def setUp(self) -> None:
        """Open a plan of which every part of a bar can be told beforehand."""
        super().setUp()
        pools = [{"id": "p"}, {"id": "q"}]
        guests = [
            cpu_guest("hurt", 9000, reservation=2000, pool="p"),
            cpu_guest("lent", 500, reservation=3000, pool="q"),
            cpu_guest("bound", 6000, limit=1000, pool="q"),
            memory_guest("held", 10_000, mode="thin", size=60_000, reservation=40_000, pool="p"),
            memory_guest("lone", 30_000, mode="thin", size=60_000),
        ]
        self.show_plan(plan_of(guests, pools))
        self.image: QImage = self.picture(self.butterfly.viewport())

    def colours(self, item_id: str, resource: str, low: float, high: float) -> set[str]:
        """Give the colours of a bar between two values, along its middle."""
        axis, place = self.butterfly.axes[resource], self.butterfly.row_rect(item_id)
        ends = sorted(round(axis.x(value)) for value in (low, high))
        inner = range(ends[0] + 2, ends[1] - 1)
        return {self.image.pixelColor(x, place.center().y()).name() for x in inner}

    def test_promised_won_and_unmet(self) -> None:
        """Solid up to the reservation, soft up to delivered, hatched up to wanted, in the pool's hue."""
        solid = LIGHT.hues[0]
        delivered = self.delivered("hurt")
        self.assertAlmostEqual(delivered, 8500)
        self.assertEqual(self.colours("hurt", "cpu", 0, 2000), {solid.name()})
        soft = blend(solid, LIGHT.paper, 0.5)
        self.assertEqual(self.colours("hurt", "cpu", 2000, delivered), {soft.name()})
        hatched = self.colours("hurt", "cpu", delivered, 9000)
        self.assertGreater(len(hatched), 1)
        self.assertNotIn(soft.name(), hatched)

    def test_lent_and_held_are_outlines(self) -> None:
        """What is promised and idle shows no fill, only a dotted outline."""
        for item_id, resource, low, high in (("lent", "cpu", 500, 3000), ("held", "memory", 10_000, 40_000)):
            found = self.colours(item_id, resource, low, high)
            self.assertIn(LIGHT.paper.name(), found)
            for colour in found:
                self.assertGreater(QColor(colour).lightness(), 180, "grid lines and paper only")
            axis, place = self.butterfly.axes[resource], self.butterfly.row_rect(item_id)
            middle = round(axis.x((low + high) / 2))
            edge = [self.image.pixelColor(middle + i, place.center().y() - 5).lightness() for i in range(-8, 8)]
            self.assertLess(min(edge), 140, "the dotted outline")

    def test_bracket_and_loner(self) -> None:
        """A limit has its bracket in ink; a guest beside the pools is grey."""
        axis, place = self.butterfly.axes["cpu"], self.butterfly.row_rect("bound")
        x = round(axis.x(1000))
        column = [self.image.pixelColor(x + i, place.center().y() - 7).lightness() for i in (-1, 0, 1, 2)]
        self.assertLess(min(column), 80)
        used = self.delivered("lone", "memory")
        grey = self.colours("lone", "memory", 0, used)
        self.assertEqual(grey, {blend(LIGHT.lone, LIGHT.paper, 0.5).name()})

    def test_ghosts_only_while_a_dial_moves(self) -> None:
        """A preview leaves an outline at what was delivered; it goes when the change is made."""
        place = self.butterfly.row_rect("hurt")
        x = round(self.butterfly.axes["cpu"].x(self.delivered("hurt")))
        spot = QRect(x - 2, place.top(), 5, place.height())

        def darkest() -> int:
            image = self.picture(self.butterfly.viewport(), spot)
            points = (QPoint(a, b) for a in range(image.width()) for b in range(1, 4))
            return min(image.pixelColor(point).lightness() for point in points)

        before = darkest()
        self.desk.trial.try_settings("bound", {"cpu.limit": 5000.0}, "limit")
        self.settle()
        self.assertLess(darkest(), before - 60)
        self.desk.trial.give_up()
        self.settle()
        self.assertEqual(darkest(), before)

    def test_readable_in_greyscale(self) -> None:
        """Solid and soft differ clearly in lightness from each other and from the paper, in every hue."""
        for colours in (LIGHT, DARK):
            for hue in (*colours.hues, colours.lone):
                steps = [hue.lightness(), blend(hue, colours.paper, 0.5).lightness(), colours.paper.lightness()]
                self.assertGreater(abs(steps[0] - steps[1]), 20)
                self.assertGreater(abs(steps[1] - steps[2]), 20)


class Layout(unittest.TestCase):
    """Axes, columns and rows."""

    def test_axes_run_both_ways(self) -> None:
        """Values have their places in either direction and are kept within the axis."""
        right, left = Axis(100, 500, 40, 10), Axis(500, 100, 40, 10)
        self.assertEqual([right.x(v) for v in (-5, 0, 10, 40, 99)], [100, 100, 200, 500, 500])
        self.assertEqual([left.x(v) for v in (0, 10, 40)], [500, 400, 100])
        self.assertEqual((right.ticks, right.per_pixel), ([10, 20, 30, 40], 0.1))
        self.assertEqual(Axis(0, 10, 0, 0).x(3), 0)

    def test_steps(self) -> None:
        """Ticks are round numbers, and never more than asked for."""
        for top in (1, 7.3, 99, 100, 1234, 8e6):
            for most in (4, 6, 9):
                for step in (decimal_step(top, most), binary_step(top, most)):
                    self.assertLessEqual(top / step, most + 1e-9)
                    self.assertGreater(top / step, most / 2.6)
        self.assertEqual((decimal_step(0, 5), binary_step(0, 5)), (0, 0))

    def test_columns_never_overlap(self) -> None:
        """From narrow to wide and from small to large text the columns keep their order."""
        for width in (760, 1024, 1280, 3840):
            for scale in (0.9, 1.0, 1.5):
                f = frame_for(width, scale)
                xs = [*f.cpu_numbers, f.cpu_end, f.cpu_zero, *f.names, f.memory_zero, f.memory_end, *f.memory_numbers]
                self.assertEqual(xs, sorted(xs), (width, scale))

    def test_rows_are_found_by_height(self) -> None:
        """Every height within the rows finds its row, folded members are left out, hues are those of the top pool."""
        pools = [{"id": "a"}, {"id": "a1", "parent": "a"}, {"id": "b"}]
        guests = [cpu_guest("x", 1, pool="a1"), cpu_guest("y", 1, pool="b"), cpu_guest("z", 1)]
        plan = plan_of(guests, pools)
        division, rows = divide(site_of(plan, {})), RowList()
        rows.rebuild(division, plan, set(), Heights(20, 30))
        self.assertEqual([r.item_id for r in rows.rows], ["a", "a1", "x", "b", "y", "z"])
        self.assertEqual([r.hue for r in rows.rows], [0, 0, 0, 1, 1, None])
        self.assertEqual(rows.tops, [0, 30, 60, 80, 110, 130, 150])
        self.assertEqual([rows.at(y) for y in (-1, 0, 29, 30, 79, 149, 150)], [None, 0, 0, 1, 2, 5, None])
        self.assertEqual(list(rows.between(25, 85)), [0, 1, 2, 3])
        rows.rebuild(division, plan, {"a"}, Heights(20, 30))
        self.assertEqual([r.item_id for r in rows.rows], ["a", "b", "y", "z"])
        self.assertIsNone(rows.number_of("x"))
        self.assertTrue(rows.rows[0].is_folded)
