"""The one style sheet of the application: how every ordinary widget looks, in the colours of a theme.

A widget that is to look otherwise than its kind says so by its ``role``; see ``set_role``.
"""

from __future__ import annotations

from string import Template
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.theme import Theme

_SHEET: Final = Template("""
QMainWindow, DivisionView, TimelineView, CoresView, WorthView, RoomView, BesideView { background: $paper; }
QLabel, QCheckBox { color: $ink; background: transparent; }
QLabel[role="muted"] { color: $muted; }
QLabel[role="head"] { color: $head_muted; }

QPushButton, QToolButton, QComboBox {
    color: $ink; background: $field; border: 1px solid $edge; border-bottom-color: $foot; border-radius: 5px;
    padding: 3px 10px;
}
QPushButton:hover, QToolButton:hover, QComboBox:hover { border-color: $ink; }
QPushButton:focus, QToolButton:focus, QComboBox:focus { border: 2px solid $ink; padding: 2px 9px; }
QPushButton:disabled, QToolButton:disabled { color: $faint; background: $panel; }
QPushButton:checked, QToolButton:checked { background: $ink; color: $paper; border-color: $ink; }
QPushButton:checked:focus, QToolButton:checked:focus { border: 2px dashed $paper; }
QToolButton::menu-indicator, QPushButton::menu-indicator { subcontrol-position: right center; right: 5px; }
QComboBox::drop-down { border: 0; width: 18px; }
*[role="menu"] { padding-right: 20px; }
*[role="small"] { padding: 0; border-radius: 4px; }
*[role="small"]:focus { padding: 0; }
*[role="flat"] { background: transparent; border: 1px solid transparent; padding: 1px 8px; border-radius: 4px; }
*[role="flat"]:hover { border: 1px solid $ink; padding: 1px 8px; }
*[role="flat"]:focus { border: 2px solid $ink; padding: 0 7px; }
*[role="flat"]:checked { background: $panel; color: $ink; }
*[role="band"] { background: $band_row; border: 1px solid transparent; border-radius: 0; padding: 0; }
*[role="band"]:hover { border: 1px solid $ink; padding: 0; }
*[role="band"]:focus { border: 2px solid $ink; padding: 0; }
*[role="band"]:checked:focus { border: 2px solid $ink; }
*[role="band"]:checked { background: $panel; color: $ink; }
*[role="segment"] { border-radius: 0; padding: 3px 9px; }
*[role="segment"]:focus { padding: 2px 8px; }
*[tried="true"] { border: 3px solid $ink; padding: 1px 7px; }

HeadBand QToolButton {
    color: $head_text; border: 1px solid transparent; border-radius: 5px; background: transparent;
    padding: 2px 18px 2px 6px;
}
HeadBand QToolButton:hover { border: 1px solid $head_line; }
HeadBand QToolButton:focus { border: 1px solid $head_text; padding: 2px 18px 2px 6px; }
HeadBand QToolButton[role="tab"] {
    padding: 3px 11px 4px 11px; border-bottom-left-radius: 0; border-bottom-right-radius: 0;
}
HeadBand QToolButton[role="tab"]:focus { padding: 3px 11px 4px 11px; border: 1px solid $head_text; }
HeadBand QToolButton[role="tab"]:checked { background: $paper; color: $ink; border-color: $paper; }
HeadBand QToolButton[role="tab"]:checked:focus { border: 2px solid $ink; padding: 2px 10px 3px 10px; }
HeadBand QPushButton { color: $head_text; background: transparent; border: 1px solid $head_line; }
HeadBand QPushButton:hover, HeadBand QPushButton:focus { border: 1px solid $head_text; padding: 3px 10px; }
HostChips, HostChips > QWidget > QWidget { background: $head; border: 0; }

QLineEdit, QPlainTextEdit {
    background: $field; color: $ink; border: 1px solid $edge; border-radius: 4px; padding: 1px 5px;
    selection-background-color: $muted; selection-color: $paper;
}
QLineEdit:focus, QPlainTextEdit:focus { border: 2px solid $ink; padding: 0 4px; }
QLineEdit[refused="true"], QLineEdit[refused="true"]:focus { border: 2px dashed $ink; padding: 0 4px; }
QComboBox QAbstractItemView, QListView, QTreeView, QTableView {
    background: $field; color: $ink; border: 1px solid $edge; outline: 0;
    selection-background-color: $band_row; selection-color: $ink;
}
QTableView, QTreeView, QListView[role="plain"] { background: $paper; border: 0; }
QTableView:focus, QListView[role="plain"]:focus { border-top: 2px solid $ink; }
QHeaderView, QHeaderView::section { background: $band_row; color: $muted; border: 0; padding: 2px 4px; }
QCheckBox::indicator {
    width: ${tip}px; height: ${tip}px; border: 1px solid $edge; border-radius: 3px; background: $field;
}
QCheckBox::indicator:checked { background: $ink; border: 1px solid $ink; }
QCheckBox:focus { border: 1px solid $ink; border-radius: 3px; }

QMenu { background: $panel; color: $ink; border: 1px solid $line; padding: 4px; font-size: ${text}px; }
QMenu::item { padding: 4px 26px 4px 14px; border-radius: 4px; }
QMenu::item:selected { background: $band_row; }
QMenu::item:disabled { color: $faint; }
QMenu::separator { height: 1px; background: $line; margin: 4px 8px; }
QToolTip { background: $panel; color: $ink; border: 1px solid $line; padding: 4px; font-size: ${tip}px; }

QSlider::groove:horizontal { height: 4px; background: $line; border-radius: 2px; }
QSlider::sub-page:horizontal { background: $muted; border-radius: 2px; }
QSlider::handle:horizontal {
    width: 9px; margin: -6px 0; background: $field; border: 2px solid $ink; border-radius: 4px;
}
QSlider:focus { border: 1px solid $ink; border-radius: 3px; }
Controls, Controls > QWidget > QWidget { background: $panel; }

WorthView QScrollArea, WorthView QScrollArea > QWidget > QWidget, RoomView QScrollArea,
RoomView QScrollArea > QWidget > QWidget { background: $paper; }
QScrollArea { border: 0; }
QScrollBar:vertical { background: transparent; width: 10px; }
QScrollBar:horizontal { background: transparent; height: 10px; }
QScrollBar::handle { background: $edge; border-radius: 4px; }
QScrollBar::handle:vertical { min-height: 30px; }
QScrollBar::handle:horizontal { min-width: 30px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
QProgressBar { border: none; background: $line; }
QProgressBar::chunk { background: $muted; width: 40px; }

Notice, RefusalPanel { background: $selected; border: 0; border-left: 6px solid $ink; }
Notice { border-bottom: 1px solid $line; }
RefusalPanel { border-top: 1px solid $line; }
Dials QFrame, Toolbar, Transport { background: $panel; }
SideSheet { background: $panel; border: 0; border-left: 1px solid $line; }
SideSheet QScrollArea, SideSheet QScrollArea > QWidget > QWidget { background: $panel; }
WhyPanel, WhyPanel > QWidget > QWidget { background: $panel; }
CommandBox { background: $panel; border: 1px solid $ink; border-radius: 8px; }
CommandBox QLineEdit { border: 0; padding: 5px 8px; border-radius: 5px; }
CommandBox QListWidget { background: transparent; border: 0; }
CommandBox QListWidget::item { padding-left: 6px; border-radius: 4px; }
CommandBox QListWidget::item:selected { background: $band_row; color: $ink; }
NameLine { border: 2px solid $ink; }
""")


def sheet_of(theme: Theme) -> str:
    """Give the style sheet in the colours and text size of a theme."""
    colours = {name: value.name() for name, value in vars(theme.colours).items() if isinstance(value, QColor)}
    return _SHEET.substitute(colours, text=theme.px(13), tip=theme.px(12))


def dress(window: QWidget, theme: Theme) -> None:
    """Let a window look as a theme has it, with its menus, popups and tips."""
    window.setPalette(theme.palette())
    sheet = sheet_of(theme)
    # All that was ever made in the window is polished anew for a sheet, be it the same one.
    if window.styleSheet() != sheet:
        window.setStyleSheet(sheet)


def set_role(widget: QWidget, role: str) -> None:
    """Let a widget look otherwise than its kind: ``muted``, ``flat``, ``small``, ``band``, ``segment``, ``tab``…"""
    set_look(widget, "role", role)


def set_look(widget: QWidget, name: str, value: object) -> None:
    """Set a property that the style sheet asks for, and let it be seen at once."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        style = widget.style()
        # What has not been shown yet is dressed when it is.
        if style is not None and widget.testAttribute(Qt.WidgetAttribute.WA_WState_Polished):
            style.unpolish(widget)
            style.polish(widget)
