"""A chart of the window on the clipboard, as PNG and as SVG: whoever pastes it takes what it can."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QIODevice, QMimeData, QPoint, QRect
from PyQt6.QtGui import QCursor, QImage, QPainter, QRegion
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QAbstractScrollArea, QApplication, QWidget

from ruvex.desktop.kit.painting import drawing

_RESOLUTION = 96
"""Dots an inch, as pages on the web count them."""
_SHARP = 2.0
"""So many pixels for each of the screen's, so that a picture can be printed."""


def chart_at(place: QPoint, otherwise: QWidget) -> QWidget:
    """Give the chart at a place of the screen, or another widget where there is none."""
    widget = QApplication.widgetAt(place)
    while widget is not None:
        if getattr(widget, "is_chart", False):
            return widget
        widget = widget.parentWidget()
    return otherwise


def copy_chart(otherwise: QWidget) -> str:
    """Put the chart under the pointer on the clipboard, else another widget; gives the sentence that tells it."""
    chart = chart_at(QCursor.pos(), otherwise)
    clipboard = QApplication.clipboard()
    if clipboard is None:
        return "There is no clipboard here."
    shown = chart.viewport() if isinstance(chart, QAbstractScrollArea) else chart
    assert shown is not None
    data = QMimeData()
    data.setImageData(image_of(shown))
    data.setData("image/svg+xml", svg_of(shown))
    clipboard.setMimeData(data)
    name = chart.accessibleName() or "What is shown"
    return f"{name[0].upper()}{name[1:]} is on the clipboard, as PNG and SVG."


def image_of(widget: QWidget) -> QImage:
    """Draw a widget, sharp enough to be printed."""
    image = QImage(widget.size() * _SHARP, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(_SHARP)
    image.fill(widget.palette().color(widget.backgroundRole()))
    with drawing(image) as painter:
        _draw(widget, painter)
    return image


def svg_of(widget: QWidget) -> bytes:
    """Draw a widget as SVG."""
    buffer, generator = QBuffer(), QSvgGenerator()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    generator.setOutputDevice(buffer)
    generator.setResolution(_RESOLUTION)
    generator.setSize(widget.size())
    generator.setViewBox(QRect(QPoint(0, 0), widget.size()))
    generator.setTitle(widget.accessibleName() or "Ruvex")
    with drawing(generator) as painter:
        painter.fillRect(QRect(QPoint(0, 0), widget.size()), widget.palette().color(widget.backgroundRole()))
        _draw(widget, painter)
    return bytes(buffer.data().data())


def _draw(widget: QWidget, painter: QPainter) -> None:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    flags = QWidget.RenderFlag.DrawWindowBackground | QWidget.RenderFlag.DrawChildren
    widget.render(painter, QPoint(), QRegion(), flags)
