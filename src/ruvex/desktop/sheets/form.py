"""A form of settings: each with its name, its value, and where it helps a sentence on what it does."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from pydantic import BaseModel
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.core_numbers import read_cores, whole_number, write_cores
from ruvex.desktop.state.figures import parse_plain, parse_shares
from ruvex.plan import (
    UnitError,
    format_cpu,
    format_memory,
    format_number,
    format_time,
    get_setting,
    parse_cpu,
    parse_memory,
    parse_time,
)

_COLUMNS: Final = 2
_WIDTH: Final = 148
_AT_ONCE: Final = "at once"
_NO_LIMIT: Final = "no limit"
MIXED: Final = "mixed"
"""What stands where several items differ."""


@dataclass(frozen=True, slots=True)
class Field:
    """One setting of a form.

    Attributes
    ----------
    key, name, kind
        The setting's dotted name, what it is called, and what it is: one of ``KINDS``, ``flag`` or ``choice``.
    hint
        What it does, in a sentence.
    choices
        Of a choice, the values and what they are called.
    """

    key: str
    name: str
    kind: str
    hint: str = ""
    choices: tuple[tuple[Any, str], ...] = ()


def _exact(text: str, value: float, read: Callable[[str], float], unit: str) -> str:
    """Give a written amount, or where that is rounded one that is not."""
    return text if abs(read(text) - value) < 1e-9 * max(1.0, value) else f"{value:.12g} {unit}"


def _write_mhz(value: float) -> str:
    return _exact(format_cpu(value), value, parse_cpu, "MHz")


def _write_mib(value: float) -> str:
    return _exact(format_memory(value), value, parse_memory, "MiB")


def _read_mhz(text: str) -> float:
    return parse_cpu(text, default_unit="GHz")


def _read_mib(text: str) -> float:
    return parse_memory(text, default_unit="GiB")


def _read_percent(text: str) -> float:
    return parse_plain(text.replace("%", ""))


def _read_part(text: str) -> float:
    """Read a part of 1, as people write it: 20 %, 20, or 0.2."""
    value = _read_percent(text)
    return value / 100 if "%" in text or value > 1 else value


def _read_rate(text: str) -> float:
    return parse_plain(text.strip().removesuffix("/s").removesuffix("MiB"))


def _or_none(read: Callable[[str], float], nothing: Sequence[str]) -> Callable[[str], float | None]:
    return lambda text: None if text.strip().lower() in ("", "none", *nothing) else read(text)


def _read_turn(text: str) -> int | str | None:
    """Read the turn in which a guest comes back: a number, stays off, or by memory shares."""
    plain = text.strip().lower().replace("-", " ")
    if plain in ("", "by memory shares", "memory shares", "shares"):
        return None
    return "stays-off" if plain in ("stays off", "off", "never") else whole_number(text)


_KIND_WRITERS: Final[Mapping[str, Callable[[Any], str]]] = {
    "text": str,
    "tags": ", ".join,
    "whole": lambda value: format_number(value),
    "number": lambda value: f"{value:.12g}",
    "shares": lambda value: f"{value:.12g}",
    "percent": lambda value: f"{value:.12g} %",
    "part": lambda value: f"{value * 100:.12g} %",
    "seconds": lambda value: f"{value:.12g} s",
    "ms": lambda value: f"{value:.12g} ms",
    "cores": write_cores,
    "mhz": _write_mhz,
    "mib": _write_mib,
    "mhz-limit": lambda value: _NO_LIMIT if value is None else _write_mhz(value),
    "mib-limit": lambda value: _NO_LIMIT if value is None else _write_mib(value),
    "mib-needed": lambda value: "as needed" if value is None else _write_mib(value),
    "rate": lambda value: _AT_ONCE if value is None else f"{value:.12g} MiB/s",
    "ops": lambda value: f"{value:.12g} ops/s",
    "ops-limit": lambda value: _NO_LIMIT if value is None else f"{value:.12g} ops/s",
    "mib_s": lambda value: f"{value:.12g} MiB/s",
    "mib_s-limit": lambda value: _NO_LIMIT if value is None else f"{value:.12g} MiB/s",
    "kib": lambda value: f"{value:.12g} KiB",
    "store": lambda value: "none" if value is None else str(value),
    "time": format_time,
    "yes-no": lambda value: "yes" if value else "no",
    "whole-or-host": lambda value: "its host's" if value is None else str(value),
    "turn": lambda value: "by memory shares" if value is None else str(value).replace("stays-off", "stays off"),
    "mib-ceiling": lambda value: "its ceiling" if value is None else _write_mib(value),
    "text-or-any": lambda value: "any that fits" if value is None else str(value),
}
_KIND_READERS: Final[Mapping[str, Callable[[str], Any]]] = {
    "text": str.strip,
    "tags": lambda text: tuple(tag.strip() for tag in text.replace(";", ",").split(",") if tag.strip()),
    "whole": whole_number,
    "number": parse_plain,
    "shares": parse_shares,
    "percent": _read_percent,
    "part": _read_part,
    "seconds": lambda text: parse_plain(text.strip().removesuffix("s")),
    "ms": lambda text: parse_plain(text.strip().removesuffix("ms")),
    "cores": read_cores,
    "mhz": _read_mhz,
    "mib": _read_mib,
    "mhz-limit": _or_none(_read_mhz, (_NO_LIMIT, "no")),
    "mib-limit": _or_none(_read_mib, (_NO_LIMIT, "no")),
    "mib-needed": _or_none(_read_mib, ("as needed", "as much as needed")),
    "rate": _or_none(_read_rate, (_AT_ONCE,)),
    "ops": lambda text: parse_plain(text.strip().removesuffix("ops/s")),
    "ops-limit": _or_none(lambda text: parse_plain(text.strip().removesuffix("ops/s")), (_NO_LIMIT, "no")),
    "mib_s": _read_rate,
    "mib_s-limit": _or_none(_read_rate, (_NO_LIMIT, "no")),
    "kib": lambda text: parse_plain(text.strip().removesuffix("KiB")),
    "time": parse_time,
    "whole-or-host": _or_none(whole_number, ("its host's", "its hosts", "host")),
    "turn": _read_turn,
    "mib-ceiling": _or_none(_read_mib, ("its ceiling", "ceiling")),
    "text-or-any": lambda text: None if text.strip().lower() in ("", "any", "any that fits") else text.strip(),
    "yes-no": lambda text: text.strip().lower() in ("yes", "y", "1", "true", "on"),
}


def _has(item: BaseModel, key: str) -> bool:
    try:
        get_setting(item, key)
    except (KeyError, AttributeError):
        return False
    return True


def _written(kind: str, values: Sequence[Any]) -> str:
    """Write what all have alike; of different numbers the least and the largest."""
    write = _KIND_WRITERS[kind]
    if all(value == values[0] for value in values):
        return write(values[0])
    if all(isinstance(value, int | float) and not isinstance(value, bool) for value in values):
        return f"{write(min(values))} – {write(max(values))}"
    return MIXED


class Form(QWidget):
    """Shows the settings of one item and tells what is entered.

    Attributes
    ----------
    fields, boxes, choosers
        The typed settings, the flags and the choices, by dotted name.

    Signals
    -------
    entered(key, value)
        A value was entered.
    tried(key, value)
        A value is being typed or pointed at.
    given_up()
        What was being typed is left as it was.
    misread(key, reason)
        What was entered cannot be understood.
    """

    entered = pyqtSignal(str, object)
    tried = pyqtSignal(str, object)
    given_up = pyqtSignal()
    misread = pyqtSignal(str, str)

    def __init__(self, fields: Sequence[Field], theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._specs = theme, {field.key: field for field in fields}
        self.fields: dict[str, SettingField] = {}
        self.boxes: dict[str, QCheckBox] = {}
        self.choosers: dict[str, Chooser] = {}
        self._labels: list[tuple[QLabel, bool]] = []
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        for column in range(_COLUMNS):
            grid.setColumnStretch(column, 1)
        place = 0
        for field in fields:
            widget = self._widget(field)
            if field.hint or field.kind == "flag":
                place += place % _COLUMNS
                grid.addWidget(self._with_hint(widget, field.hint), place // _COLUMNS, 0, 1, _COLUMNS)
                place += _COLUMNS
            else:
                grid.addWidget(widget, place // _COLUMNS, place % _COLUMNS)
                place += 1
        self.style_anew()

    def _with_hint(self, widget: QWidget, hint: str) -> QWidget:
        if not hint:
            return widget
        both = QWidget(self)
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 2)
        column.setSpacing(2)
        column.addWidget(widget)
        label = QLabel(hint, both)
        label.setWordWrap(True)
        self._labels.append((label, True))
        column.addWidget(label)
        return both

    def _widget(self, field: Field) -> QWidget:
        if field.kind == "flag":
            box = self.boxes[field.key] = QCheckBox(field.name, self)
            box.clicked.connect(lambda checked, key=field.key: self.entered.emit(key, bool(checked)))
            return box
        if field.kind == "choice":
            return self._chooser(field)
        # What has a hint below it has the whole row, so that its name has room.
        line = self.fields[field.key] = SettingField(
            field.key, field.name, self._theme, width=_WIDTH, long_name=bool(field.hint)
        )
        line.typed.connect(self._on_typed)
        line.tried.connect(self._on_tried)
        line.stepped.connect(self._on_stepped)
        line.given_up.connect(lambda _key: self.given_up.emit())
        return line

    def _chooser(self, field: Field) -> QWidget:
        both = QWidget(self)
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        label = QLabel(field.name, both)
        self._labels.append((label, False))
        chooser = self.choosers[field.key] = Chooser(both)
        chooser.setAccessibleName(field.name)
        label.setBuddy(chooser)
        self.offer(field.key, field.choices)
        chooser.activated.connect(lambda _index, key=field.key: self.entered.emit(key, self._chosen(key)))
        column.addWidget(label)
        column.addWidget(chooser)
        return both

    def offer(self, key: str, choices: Sequence[tuple[Any, str]]) -> None:
        """Offer other values of a choice."""
        self.choosers[key].show_choices(choices)

    def _index_of(self, key: str, value: Any) -> int:
        """Give where a value stands among the choices; of several words the order does not matter."""
        chooser = self.choosers[key]
        wanted = sorted(value) if isinstance(value, tuple) else value
        for i in range(chooser.count()):
            found = chooser.itemData(i)
            if (sorted(found) if isinstance(found, tuple) else found) == wanted:
                return i
        return -1

    def _chosen(self, key: str) -> Any:
        return self.choosers[key].currentData()

    def show_item(self, item: BaseModel) -> None:
        """Show the settings of an item."""
        self.show_items([item])

    def show_items(self, items: Sequence[BaseModel]) -> None:
        """Show the settings of several items: what all have alike, else from where to where, or that it is mixed."""
        for key in self._specs:
            values = [get_setting(item, key) for item in items if _has(item, key)]
            if values:
                self._show(key, values)

    def show_values(self, values: Mapping[str, Any]) -> None:
        """Show values that are no settings of an item."""
        for key, value in values.items():
            self._show(key, [value])

    def _show(self, key: str, values: Sequence[Any]) -> None:
        is_alike = all(value == values[0] for value in values)
        if key in self.boxes:
            state = Qt.CheckState.Checked if values[0] else Qt.CheckState.Unchecked
            self.boxes[key].setCheckState(state if is_alike else Qt.CheckState.PartiallyChecked)
        elif key in self.choosers:
            chooser = self.choosers[key]
            chooser.setPlaceholderText("" if is_alike else MIXED)
            chooser.setCurrentIndex(self._index_of(key, values[0]) if is_alike else -1)
        else:
            self.fields[key].show_value(_written(self._specs[key].kind, values))

    def set_shown(self, key: str, *, shown: bool) -> None:
        """Show a choice, or leave it out."""
        holder = self.choosers[key].parentWidget()
        if holder is not None:
            holder.setVisible(shown)

    def set_kind(self, key: str, kind: str) -> None:
        """Let a typed setting be of another kind."""
        field = self._specs[key]
        self._specs[key] = Field(field.key, field.name, "yes-no" if kind == "flag" else kind, field.hint)

    def has(self, key: str) -> bool:
        """Tell whether a setting is in this form."""
        return key in self._specs

    def field(self, key: str) -> Field:
        """Give what is known of a setting."""
        return self._specs[key]

    def written(self, key: str, value: Any) -> str:
        """Write a value as the form shows it."""
        field = self._specs[key]
        if field.kind == "flag":
            return "yes" if value else "no"
        if field.kind == "choice":
            chooser = self.choosers[key]
            return chooser.itemText(self._index_of(key, value))
        return _KIND_WRITERS[field.kind](value)

    def refuse(self, key: str, reason: str) -> None:
        """Mark what was entered as not accepted."""
        if key in self.fields:
            self.fields[key].refuse(reason)

    def accept(self, key: str) -> None:
        """Show the value in force."""
        if key in self.fields:
            self.fields[key].accept()

    def _read(self, key: str, text: str) -> Any:
        return _KIND_READERS[self._specs[key].kind](text)

    def _on_typed(self, key: str, text: str) -> None:
        try:
            value = self._read(key, text)
        except UnitError as error:
            self.refuse(key, str(error))
            self.misread.emit(key, str(error))
        else:
            self.entered.emit(key, value)

    def _on_tried(self, key: str, text: str) -> None:
        try:
            value = self._read(key, text)
        except UnitError:
            return
        self.tried.emit(key, value)

    def _on_stepped(self, key: str, steps: int) -> None:
        kind, text = self._specs[key].kind, self.fields[key].line.text()
        sizes = {
            "whole": 1,
            "percent": 1,
            "shares": 10,
            "seconds": 5,
            "mhz": 100,
            "mib": 256,
            "number": 0.1,
            "part": 0.01,
        }
        try:
            value = self._read(key, text)
        except UnitError:
            return
        if isinstance(value, int | float) and kind in sizes:
            stepped = max(0, value + steps * sizes[kind])
            self.entered.emit(key, int(stepped) if kind == "whole" else float(f"{stepped:.9g}"))

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        theme = self._theme
        for label, is_hint in self._labels:
            label.setFont(theme.font(11.5 if is_hint else 12))
            set_role(label, "muted")
        for field in self.fields.values():
            field.style_anew()
        for widget in (*self.boxes.values(), *self.choosers.values()):
            widget.setFont(theme.font(12.5))
