"""Contrast, measured from the pixels a person sees: text at least 4.5 to 1, marks at least 3 to 1, in every look."""

from __future__ import annotations

from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QAbstractButton, QLabel, QLineEdit, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.texts import Face
from tests.desktop.base import WindowCase

TEXT, MARK = 4.5, 3.0
LOOKS = ("light", "dark", "contrast")
NOISE = 0.05


def luminance(colour: QColor) -> float:
    """Give the relative luminance of a colour (WCAG 2.1)."""
    parts = [v / 12.92 if v <= 0.03928 else ((v + 0.055) / 1.055) ** 2.4 for v in colour.getRgbF()[:3]]
    return float(0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2])


def contrast(one: QColor, other: QColor) -> float:
    """Give the contrast ratio of two colours (WCAG 2.1)."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def strongest(image: QImage, place: QRect, ground: QColor | None = None) -> float:
    """Give the contrast of the strongest stroke in a place against a ground, else the one that most of it has."""
    place = place.intersected(image.rect())
    part = image.copy(place).convertToFormat(QImage.Format.Format_RGB32)
    bits = part.constBits()
    assert bits is not None
    pixels, counts = np.unique(np.frombuffer(bits.asarray(part.sizeInBytes()), dtype=np.uint32), return_counts=True)
    if pixels.size < 2 and ground is None:
        return 99.0  # nothing was written there, or all of it lies out of sight
    ground = ground or QColor.fromRgb(int(pixels[counts.argmax()]))
    return max(contrast(QColor.fromRgb(pixel), ground) for pixel in pixels.tolist())


class Contrast(WindowCase):
    """The demo at 08:10 in all looks; at twice the size, so that strokes are as strong as their colour."""

    def setUp(self) -> None:
        """Open the demo, a guest selected that lacks something."""
        super().setUp()
        self.window.resize(2400, 1500)
        self.window.theme.set_scale(2.0)
        self.open_demo()
        self.desk.look.set_moment(29_400.0)
        self.desk.selection.select("tide-model")
        self.settle()

    def check_painted(self, widget: QWidget, what: str) -> int:
        """Paint a widget, note every text it draws, and measure each; gives how many there were."""
        drawn: list[tuple[QRectF, str]] = []
        draw = Face.draw

        def noted(face: Face, painter: QPainter, x: float, top: float, height: float, text: str) -> None:
            draw(face, painter, x, top, height, text)
            place = QRectF(x, top + (height - face.metrics.height()) / 2, face.width(text), face.metrics.height())
            drawn.append((painter.combinedTransform().mapRect(place), text))

        with patch.object(Face, "draw", noted):
            image = widget.grab().toImage()
        checked = 0
        for place, text in drawn:
            whole = place.toAlignedRect()
            if text.strip() and image.rect().contains(whole):
                checked += 1
                found = strongest(image, whole)
                self.assertGreaterEqual(found, TEXT - NOISE, f"{what}: {text!r} has {found:.2f}")
        return checked

    def check_widgets(self, parent: QWidget, what: str) -> int:
        """Measure every label, button and field with a text in it that shows; gives how many there were."""
        image, checked = self.picture(self.window), 0
        for widget in parent.findChildren(QWidget):
            text = widget.text() if isinstance(widget, QLabel | QAbstractButton | QLineEdit | ElidedLabel) else ""
            if not text or not widget.isVisible() or not widget.isEnabled():
                continue
            if widget.visibleRegion().boundingRect() != widget.rect():
                continue
            place = QRect(widget.mapTo(self.window, QPoint(0, 0)), widget.size()).adjusted(4, 4, -4, -4)
            checked += 1
            found = strongest(image, place)
            self.assertGreaterEqual(found, TEXT - NOISE, f"{what}: {text!r} has {found:.2f}")
        return checked

    def test_text(self) -> None:
        """Rows by pool and by host, head, strip, line of effects, dials, lanes, gauge, ruler, list, sheets."""
        for look in LOOKS:
            self.window.theme.set_mode(look)
            self.settle()
            self.go_to("division")
            for by_host in (False, True):
                self.butterfly.set_by_host(by_host=by_host)
                self.settle()
                self.assertGreater(self.check_painted(self.butterfly.viewport(), f"{look} rows"), 40)
            self.butterfly.set_by_host(by_host=False)
            head = self.window.head
            for widget in (head.strip, *head.chips.chips.values(), self.dials.effect):
                self.check_painted(widget, f"{look} {type(widget).__name__}")
            for part in (head, self.dials, self.division.bar):
                self.assertGreater(self.check_widgets(part, f"{look} {type(part).__name__}"), 3)
            for name in (ActionName.SETTINGS, ActionName.WHY, ActionName.KEYS, ActionName.RULES):
                self.run_action(name)
                self.assertGreater(self.check_widgets(self.window.sheet, f"{look} {name.name}"), 3)
            self.window.sheet.close_sheet()
            self.go_to("list")
            self.check_widgets(self.window.view, f"{look} list")
            self.go_to("timeline")
            for _ in range(400):
                self.settle(5)
                if self.window.playing.is_over and not self.timeline.is_behind:
                    break
            for widget in (self.timeline.lanes.viewport(), self.timeline.ruler, self.timeline.gauge):
                self.assertGreater(self.check_painted(widget, f"{look} {type(widget).__name__}"), 3)

    def test_marks(self) -> None:
        """Bars of every pool, hatching, limits and their ghosts, triangles, tracks, edges of fields and of buttons."""
        for look in LOOKS:
            self.window.theme.set_mode(look)
            self.settle()
            view = self.butterfly.viewport()
            image = self.picture(view)
            paper = self.window.theme.colours.paper
            axis = self.butterfly.axes["cpu"]
            measured = set()
            for number in self.butterfly.rows_in_sight:
                row, place = self.butterfly.row_list.rows[number], self.butterfly.place_of(number)
                bar = self.butterfly.row_painter.bar("cpu", row)
                if row.kind != "guest" or not view.rect().contains(place) or row.item_id in self.desk.selection.ids:
                    continue
                left, zero = round(axis.x(bar.delivered)), round(axis.x(0.0))
                if zero - left > 6:
                    column = QRect((left + zero) // 2, place.top(), 2, place.height())
                    found = strongest(image, column, paper)
                    self.assertGreaterEqual(found, MARK - NOISE, f"{look}: the bar of {row.label} has {found:.2f}")
                    measured.add(row.hue)
                wanted = round(axis.x(bar.delivered + bar.unmet))
                if left - wanted > 12:
                    span = QRect(wanted + 3, place.top() + 2, left - wanted - 6, place.height() - 4)
                    found = strongest(image, span, paper)
                    self.assertGreaterEqual(found, MARK - NOISE, f"{look}: the hatching of {row.label} has {found:.2f}")
            self.assertGreaterEqual(len(measured), 2, look)
            for hue in range(8):
                solid = self.window.theme.bar_colours(hue).solid
                self.assertGreaterEqual(contrast(solid, paper), MARK, f"{look}: hue {hue}")
            for field in (*self.dials.dials["cpu"].fields.values(), *self.dials.dials["memory"].fields.values()):
                line = field.line
                edge = QRect(line.mapTo(self.dials, QPoint(-3, line.height() // 2)), QSize(6, 2))
                found = strongest(self.picture(self.dials), edge)
                self.assertGreaterEqual(found, MARK - NOISE, f"{look}: the edge of {field.key} has {found:.2f}")

    def test_the_focus_shows(self) -> None:
        """Going round with Tab, each stop looks otherwise with the focus than without."""
        self.window.theme.set_scale(1.0)
        self.window.resize(1280, 800)
        self.window.activateWindow()
        for look in LOOKS:
            self.window.theme.set_mode(look)
            self.settle()
            stops = [
                widget
                for part in (self.window.head, self.division, self.dials)
                for widget in part.findChildren(QWidget)
                if widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.isVisible() and widget.isEnabled()
                and widget.focusProxy() is None and not widget.visibleRegion().isEmpty()
            ]  # fmt: skip
            self.assertGreater(len(stops), 20)
            for widget in stops:
                shown = self.butterfly.viewport() if widget is self.butterfly.reader else widget
                self.window.setFocus()
                self.settle()
                before = self.picture(shown)
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                self.settle()
                name = widget.accessibleName() or type(widget).__name__
                self.assertNotEqual(self.picture(shown), before, f"{look}: {name}")
