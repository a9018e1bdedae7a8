"""Letting go of what the window shows no longer."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication, QLayout, QWidget


def let_go(widget: QWidget, layout: QLayout | None = None) -> None:
    """Take a widget off the window now, and away once whatever it is in the middle of has come back.

    A field in it that holds the focus loses it, and would tell what was typed to a page that has forgotten it: it says
    nothing from here on. The focus goes on to another one, and whoever hears of that may lay out the same place again:
    let go of what was there once what comes in its place stands.

    Parameters
    ----------
    widget
        What goes, with all that lies in it. It may be the one whose click led here.
    layout
        What it lies in, if others are put there by number before it is gone.
    """
    holder = QApplication.focusWidget()
    if holder is not None and (holder is widget or widget.isAncestorOf(holder)):
        holder.blockSignals(True)
    widget.blockSignals(True)
    if layout is not None:
        layout.removeWidget(widget)
    widget.hide()
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
