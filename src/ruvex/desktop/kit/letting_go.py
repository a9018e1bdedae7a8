"""Letting go of what the window shows no longer."""

from __future__ import annotations

from PyQt6.QtWidgets import QLayout, QWidget


def let_go(widget: QWidget) -> None:
    """Take a widget off the window now, and away once whatever it is in the middle of has come back.

    Until then Qt may still send it keys and the loss of its focus. A field would tell of these to a page that has
    forgotten it, so neither it nor what lies in it says anything from here on.

    What holds the focus hands it on when it goes, and whoever hears of that may lay out the same place again: let go of
    what was there once what comes in its place stands.

    Parameters
    ----------
    widget
        What goes, with all that lies in it. It may be the one whose click led here.
    """
    for one in (widget, *widget.findChildren(QWidget)):
        one.blockSignals(True)
    widget.hide()
    parent = widget.parentWidget()
    if parent is not None:
        for layout in parent.findChildren(QLayout):
            layout.removeWidget(widget)
    widget.deleteLater()


def taken_out_of(layout: QLayout) -> list[QWidget]:
    """Empty a layout; gives the widgets that were in it, which the caller is to let go of.

    Parameters
    ----------
    layout
        What is emptied; gaps go as well.
    """
    widgets = []
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widgets.append(widget)
    return widgets


def let_go_of_all_in(layout: QLayout) -> None:
    """Empty a layout, and let go of every widget that was in it.

    Parameters
    ----------
    layout
        What is emptied; gaps go as well.
    """
    for widget in taken_out_of(layout):
        let_go(widget)
