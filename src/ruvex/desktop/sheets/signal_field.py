"""A workload signal as a small curve that can be shaped, with its figures below."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from pydantic import BaseModel
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.state.desk import Desk
from ruvex.plan import (
    Bursts,
    Daily,
    Guest,
    Signal,
    Steps,
    format_cpu,
    format_memory,
    format_time,
    get_setting,
)
from ruvex.site import Site, gather_signals
from ruvex.words import flow_amount

_HEIGHT: Final = 86
_FOOT: Final = 15
_POINTS: Final = 145
_REACH: Final = 9.0
_AIR: Final = 1.25
_SNAP_S: Final = 300.0
_FORMS: Final = (("number", "steady"), ("daily", "one peak a day"), ("bursts", "bursts"), ("steps", "steps"))


@dataclass(frozen=True)
class _Amount:
    """What the levels of a signal are: how they are typed and written, a usual one, the most there can be."""

    kind: str
    write: Callable[[float], str]
    typical: float
    most: Callable[[Site, Guest], float]


def _most_cpu(site: Site, guest: Guest) -> float:
    host = site.host_of(guest.id)
    return guest.vcpus * host.mhz if host is not None else 0.0


def _most_traffic(site: Site, guest: Guest) -> float:
    host = site.host_of(guest.id)
    return sum(link.mib_s for link in host.links) if host is not None else 0.0


def _most_ops(site: Site, guest: Guest) -> float:
    plan = site.plan
    return sum(plan.stores[plan.store_index[disk.store]].ops for disk in guest.disks)


_MEMORY: Final = _Amount("mib", format_memory, 2048.0, lambda _site, guest: guest.memory.size)
_AMOUNTS: Final[Mapping[str, _Amount]] = {
    "demand.cpu": _Amount("mhz", format_cpu, 1000.0, _most_cpu),
    "demand.working": _MEMORY,
    "demand.touched": _MEMORY,
    "demand.ops": _Amount("ops", lambda value: flow_amount(value, "store"), 100.0, _most_ops),
    "demand.net_mib_s": _Amount("mib_s", lambda value: flow_amount(value, "link"), 10.0, _most_traffic),
}


class _Steady(BaseModel):
    """A steady signal, so that a form can show its one figure like those of the others."""

    value: float


Dump = Any
"""A signal as plain data: a number, or its keys and values."""


def _dump(signal: Signal) -> Dump:
    if isinstance(signal, int | float):
        return float(signal)
    # Times stay seconds here; in a file they are written as times of day.
    return {name: getattr(signal, name) for name in type(signal).model_fields}


def converted(signal: Signal, form: str, typical: float) -> Dump:
    """Give a signal of another form that is like the one before.

    Parameters
    ----------
    typical
        A level for a signal that has none.
    """
    low, high = typical / 4, typical
    if isinstance(signal, int | float):
        low, high = float(signal) / 4, float(signal)
    elif isinstance(signal, Daily):
        low, high = signal.low, signal.high
    elif isinstance(signal, Bursts):
        low, high = signal.base, signal.high
    elif isinstance(signal, Steps):
        levels = [level for _, level in signal.at]
        low, high = min(levels), max(levels)
    if form == "number":
        return high
    if form == "daily":
        return {"kind": "daily", "low": low, "high": high, "peak_at": 12 * 3600.0, "width_h": 4.0}
    if form == "bursts":
        return {"kind": "bursts", "base": low, "high": high, "every_s": 3600.0, "for_s": 600.0}
    return {"kind": "steps", "at": [[0.0, low], [8 * 3600.0, high], [18 * 3600.0, low]]}


class SignalCurve(QWidget):
    """The signal over the day, with points to drag; in steps a double click adds one and Del takes it away.

    Signals
    -------
    tried(signal), entered(signal)
        The signal's shape while a point is dragged, and when it is let go.
    """

    is_chart = True
    tried = pyqtSignal(object)
    entered = pyqtSignal(object)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._signal: Dump = 0.0
        self._before: Dump = 0.0
        self._values = np.zeros(_POINTS)
        self._day_s, self._top = 86_400.0, 1.0
        self._write: Callable[[float], str] = format_cpu
        self._held: int | None = None
        self._chosen: int | None = None
        self._evaluate: Callable[[Dump], np.ndarray[Any, Any]] = lambda _signal: self._values
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        """Ask for a low band."""
        return QSize(200, self._theme.px(_HEIGHT))

    def show_signal(
        self,
        signal: Dump,
        evaluate: Callable[[Dump], np.ndarray[Any, Any]],
        day_s: float,
        most: float,
        write: Callable[[float], str],
    ) -> None:
        """Show a signal; ``most`` is what the guest can use, so that its curve has room to grow."""
        self._signal, self._evaluate, self._day_s, self._write = signal, evaluate, day_s, write
        self._values = evaluate(signal)
        highest = float(self._values.max())
        # A signal that is nothing all day has room too, or no drag could raise it.
        self._top = max(highest * _AIR, min(most, highest * 4) if highest > 0 else most, 1.0)
        self.update()

    @property
    def _place(self) -> QRectF:
        return QRectF(6, 4, self.width() - 12, self.height() - self._theme.px(_FOOT) - 6)

    def _point(self, time_s: float, level: float) -> QPointF:
        place = self._place
        x = place.left() + place.width() * time_s / self._day_s
        return QPointF(x, place.bottom() - place.height() * min(level / self._top, 1.0))

    def points(self) -> list[QPointF]:
        """Give where the points that can be dragged stand."""
        signal, day = self._signal, self._day_s
        if not isinstance(signal, Mapping):
            return [self._point(day / 2, float(signal))]
        if signal["kind"] == "daily":
            peak, half = signal["peak_at"], signal["width_h"] * 1800.0
            middle = (signal["low"] + signal["high"]) / 2
            side = peak + half if peak + half <= day else peak - half
            return [
                self._point(peak, signal["high"]),
                self._point((peak + day / 2) % day, signal["low"]),
                self._point(side % day, middle),
            ]
        if signal["kind"] == "bursts":
            return [self._point(0.0, signal["high"]), self._point(day, signal["base"])]
        if signal["kind"] == "steps":
            return [self._point(time_s, level) for time_s, level in signal["at"]]
        return []

    def _moved(self, number: int, point: QPointF) -> Dump:
        """Give the signal with one of its points at another place."""
        place = self._place
        time_s = min(max((point.x() - place.left()) / place.width(), 0.0), 1.0) * self._day_s
        time_s = min(round(time_s / _SNAP_S) * _SNAP_S, self._day_s)
        level = max(0.0, (place.bottom() - point.y()) / place.height() * self._top)
        # A hundredth of the height or finer: steps of 10 where the top is 2000, of 1 where it is 300.
        grain = 10.0 ** (math.floor(math.log10(self._top)) - 2)
        level = round(level / grain) * grain
        if not isinstance(self._signal, Mapping):
            return level
        signal = dict(self._signal)
        if signal["kind"] == "daily":
            if number == 0:
                signal |= {"peak_at": time_s % self._day_s, "high": level}
            elif number == 1:
                signal["low"] = level
            else:
                away = abs(time_s - signal["peak_at"])
                signal["width_h"] = min(max(round(min(away, self._day_s - away) / 1800.0, 1), 0.2), 24.0)
        elif signal["kind"] == "bursts":
            signal["high" if number == 0 else "base"] = level
        elif signal["kind"] == "steps":
            steps = [list(step) for step in signal["at"]]
            first = steps[number - 1][0] + _SNAP_S if number else 0.0
            last = steps[number + 1][0] - _SNAP_S if number + 1 < len(steps) else self._day_s
            steps[number] = [min(max(time_s, first), max(first, last)), level]
            signal["at"] = steps
        return signal

    def _near(self, point: QPointF) -> int | None:
        away = [(point - own).manhattanLength() for own in self.points()]
        return min(range(len(away)), key=away.__getitem__) if away and min(away) <= 2 * _REACH else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take a point."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._held = self._chosen = self._near(event.position())
            self._before = self._signal
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the point that is held."""
        if event is None:
            return
        if self._held is None:
            near = self._near(event.position())
            self.setCursor(Qt.CursorShape.ArrowCursor if near is None else Qt.CursorShape.SizeAllCursor)
            return
        self._signal = self._moved(self._held, event.position())
        self._values = self._evaluate(self._signal)
        self.update()
        self.tried.emit(self._signal)

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let the point go."""
        if self._held is not None:
            self._held = None
            if self._signal != self._before:
                self.entered.emit(self._signal)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Add a step."""
        if event is None or not isinstance(self._signal, Mapping) or self._signal["kind"] != "steps":
            return
        place = self._place
        time_s = (event.position().x() - place.left()) / place.width() * self._day_s
        time_s = min(max(round(time_s / _SNAP_S) * _SNAP_S, 0.0), self._day_s)
        if self._near(event.position()) is None and time_s not in [step[0] for step in self._signal["at"]]:
            level = max(0.0, (place.bottom() - event.position().y()) / place.height() * self._top)
            steps = sorted([*map(list, self._signal["at"]), [time_s, round(level)]])
            self.entered.emit(dict(self._signal) | {"at": steps})

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Give a drag up with Esc; take a step away with Del; move a point with the arrows."""
        if event is None:
            return
        key, number = Qt.Key(event.key()), self._chosen
        arrows = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key == Qt.Key.Key_Escape and self._held is not None:
            self._held, self._signal = None, self._before
            self._values = self._evaluate(self._signal)
            self.tried.emit(self._signal)
            self.update()
        elif key in arrows and self.points():
            number = self._chosen = min(number or 0, len(self.points()) - 1)
            place, (right, down) = self._place, arrows[key]
            by = QPointF(right * place.width() * _SNAP_S / self._day_s, down * place.height() / 40)
            self.entered.emit(self._moved(number, self.points()[number] + by))
        elif key == Qt.Key.Key_Delete and isinstance(self._signal, Mapping) and number is not None:
            steps = list(self._signal.get("at", ()))
            if len(steps) > 1 and number < len(steps):
                del steps[number]
                self.entered.emit(dict(self._signal) | {"at": steps})
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the curve, its points, and what it comes to."""
        with painting(self) as painter:
            theme, place = self._theme, self._place
            colours = theme.colours
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(place, colours.band_row)
            if self.hasFocus():
                painter.setPen(QPen(colours.ink, 1))
                painter.drawRect(place)
            times = np.linspace(0.0, self._day_s, self._values.size)
            line = [self._point(t, v) for t, v in zip(times.tolist(), self._values.tolist(), strict=True)]
            area = QPolygonF([place.bottomLeft(), *line, place.bottomRight()])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colours.supply_free)
            painter.drawPolygon(area)
            painter.setPen(QPen(colours.supply, 1.5))
            painter.drawPolyline(QPolygonF(line))
            painter.setBrush(colours.field)
            for number, point in enumerate(self.points()):
                is_chosen = number == self._held or (self.hasFocus() and number == self._chosen)
                painter.setPen(QPen(colours.ink, 2.2 if is_chosen else 1.4))
                painter.drawEllipse(point, 4, 4)
            face = theme.face(10.5)
            painter.setPen(colours.faint)
            ends = f"{self._write(float(self._values.min()))} to {self._write(float(self._values.max()))}"
            face.draw(painter, place.left(), place.bottom() + 2, theme.px(_FOOT), "00:00")
            face.draw_centred(painter, QRectF(place.left(), place.bottom() + 2, place.width(), theme.px(_FOOT)), ends)
            face.draw_right(painter, place.right(), place.bottom() + 2, theme.px(_FOOT), format_time(self._day_s))


def _figure_fields(kind: str, amount: str) -> tuple[Field, ...]:
    """Give the settings of a form of signal; ``amount`` is the kind of its levels."""
    level = amount
    return {
        "number": (Field("value", "level", level),),
        "daily": (
            Field("low", "low", level), Field("high", "high", level),
            Field("peak_at", "peak at", "time"), Field("width_h", "width, hours", "number"),
        ),
        "bursts": (
            Field("base", "between", level), Field("high", "in a burst", level),
            Field("every_s", "every", "seconds"), Field("for_s", "for", "seconds"),
        ),
    }.get(kind, ())  # fmt: skip


class SignalField(QWidget):
    """One signal of a guest: its name, its form, its curve, its figures.

    Attributes
    ----------
    name
        What the signal is called.
    curve, chooser
        The curve, and the choice of its form.

    Signals
    -------
    tried(signal), entered(signal)
        A shape while it is dragged, and one that is entered.
    misread(reason)
        What was typed cannot be understood.
    """

    tried = pyqtSignal(object)
    entered = pyqtSignal(object)
    misread = pyqtSignal(str)

    def __init__(self, key: str, name: str, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.name = name
        self._key, self._desk, self._theme = key, desk, theme
        self._amount = _AMOUNTS[key]
        self._signal: Signal = 0.0
        self._guest = ""
        self._label = QLabel(name, self)
        set_role(self._label, "muted")
        self.chooser = Chooser(self)
        self.chooser.setAccessibleName(f"{name}: form")
        for form, text in _FORMS:
            self.chooser.addItem(text, form)
        self.chooser.activated.connect(self._on_form)
        self.curve = SignalCurve(theme, self)
        self.curve.setAccessibleName(f"{name} over the day")
        self.curve.tried.connect(self.tried)
        self.curve.entered.connect(self.entered)
        self.figures = {
            form: Form(_figure_fields(form, self._amount.kind), theme, self) for form in ("number", "daily", "bursts")
        }
        head = QHBoxLayout()
        head.addWidget(self._label, 1)
        head.addWidget(self.chooser)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 4)
        column.setSpacing(3)
        column.addLayout(head)
        column.addWidget(self.curve)
        for figures in self.figures.values():
            column.addWidget(figures)
            figures.entered.connect(self._on_figure)
            figures.misread.connect(lambda _key, reason: self.misread.emit(reason))

    def show_signal(self, guest: Guest, key: str) -> None:
        """Show the signal of a guest."""
        site = self._desk.look.division.site
        plan, traces = site.plan, site.traces
        if guest.id != self._guest:
            # What was typed for the guest before must not be entered for this one when its field is left.
            self._guest = guest.id
            for figures in self.figures.values():
                for setting in figures.fields:
                    figures.accept(setting)
        self._signal = get_setting(guest, key)
        kind = getattr(self._signal, "kind", "number")

        def evaluate(dump: Dump) -> np.ndarray[Any, Any]:
            demand = guest.demand.model_validate({"cpu": dump})
            bank = gather_signals([guest.model_copy(update={"demand": demand})], traces, plan.day_s)
            return np.asarray(bank.at(np.linspace(0.0, plan.day_s, _POINTS))[:, 0, 0])

        most = self._amount.most(self._desk.look.division.site, guest)
        self.curve.show_signal(_dump(self._signal), evaluate, plan.day_s, most, self._amount.write)
        if kind == "trace" and self.chooser.findData("trace") < 0:
            self.chooser.addItem("a trace", "trace")
        self.chooser.setCurrentIndex(self.chooser.findData(kind))
        for form, figures in self.figures.items():
            figures.setVisible(form == kind)
        if kind in self.figures:
            shown = _Steady(value=self._signal) if isinstance(self._signal, int | float) else self._signal
            self.figures[kind].show_item(shown)
        told = f"{self._signal.file}, {self._signal.column}" if kind == "trace" else ""  # type: ignore[union-attr]
        self.curve.setToolTip(told or "Drag the points; in steps, double-click adds one and Del takes it away.")

    def _on_form(self) -> None:
        form = self.chooser.currentData()
        if form not in ("trace", getattr(self._signal, "kind", "number")):
            self.entered.emit(converted(self._signal, form, self._amount.typical))

    def _on_figure(self, key: str, value: Any) -> None:
        dump = _dump(self._signal)
        self.entered.emit(value if key == "value" else {**dump, key: value})

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        self._label.setFont(self._theme.font(12))
        self.chooser.setFont(self._theme.font(12))
        for form in self.figures.values():
            form.style_anew()
        self.curve.updateGeometry()
