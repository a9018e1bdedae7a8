"""Sweep: which dial, over which range, what is watched; the curve; and what a chosen value would do."""

from __future__ import annotations

from typing import Final

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QWidget

from ruvex.advise import STEPS, STEPS_OF_TWO, Outcome, Range, Sweep, Watch, parse_range, watch_text
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.steps import Step, settings_step
from ruvex.desktop.views.room.curve import SweepCurve, value_text
from ruvex.desktop.views.room.section import Section
from ruvex.plan import (
    EditError,
    ElasticMemory,
    Guest,
    Plan,
    RuvexError,
    ThinMemory,
    find_item,
    get_setting,
    setting_amount,
    setting_word,
)
from ruvex.site import Site
from ruvex.words import label_of

_OUTCOMES: Final[tuple[tuple[Outcome, str], ...]] = (
    ("pace", "worst pace"), ("short", "hours short"), ("late", "hours late"), ("wait", "CPU want unmet, %"),
    ("met", "least part of need backed, %"),
)  # fmt: skip
_NO_SECOND: Final = "no second dial"


def settings_of(item: Guest | None) -> list[str]:
    """Give the dials of a guest that can be swept."""
    if item is None:
        return []
    found = ["cpu.shares", "cpu.reservation", "cpu.limit", "memory.shares"]
    if isinstance(item.memory, ThinMemory):
        found += ["memory.reservation", "memory.limit", "memory.size"]
    elif isinstance(item.memory, ElasticMemory):
        found += ["memory.floor", "memory.ceiling", "memory.headroom_percent"]
    else:
        found += ["memory.size"]
    return [*found, "vcpus"]


def usual_range(site: Site, guest: Guest, setting: str) -> tuple[float, float]:
    """Give a range that is likely to be of interest: from nothing, or little, to twice what there is."""
    now = get_setting(guest, setting)
    value = float(now) if isinstance(now, int | float) else 0.0
    amount = setting_amount(setting)
    host = site.host_of(guest.id)
    if setting.endswith("shares"):
        return max(value / 4, 1.0), max(value * 4, 400.0)
    if setting == "vcpus":
        return 1.0, max(2.0 * value, 4.0)
    if setting == "memory.headroom_percent":
        return 0.0, max(2 * value, 60.0)
    if amount == "cpu":
        most = guest.vcpus * (host.mhz if host is not None else 2000.0)
        return (most / 20 if setting.endswith("limit") else 0.0), most
    size = guest.memory.ceiling if isinstance(guest.memory, ElasticMemory) else guest.memory.size
    if setting in ("memory.size", "memory.ceiling"):
        return size / 2, size * 2
    return (size / 20 if setting.endswith("limit") else 0.0), size


class SweepSection(Section):
    """The question, its range and its answer.

    Attributes
    ----------
    item, setting, second, watch
        What is swept, and what is watched; a second dial makes a map.
    low, high
        The range as it is typed.
    play, stop, bar
        Begins and stops it; how far it is.
    told, set_button
        What was found, and what a chosen value would do; sets it.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        self.curve = SweepCurve(bench.theme, parent)
        super().__init__(bench.theme, "Sweep a dial", self.curve, parent)
        self._desk, theme = bench.desk, bench.theme
        self._tell = bench.desk.trial.not_accepted.emit
        self.item, self.setting, self.second, self.watch = (Chooser(self) for _ in range(4))
        for chooser, name in (
            (self.item, "Whose dial is swept"), (self.setting, "Which dial is swept"),
            (self.second, "A second dial, for a map"), (self.watch, "What is watched"),
        ):  # fmt: skip
            chooser.setAccessibleName(name)
            chooser.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            chooser.setMinimumContentsLength(12)
            self.left.addWidget(chooser)
        self.low, self.high = QLineEdit(self), QLineEdit(self)
        ends = QHBoxLayout()
        for field, name in ((self.low, "From"), (self.high, "to")):
            field.setAccessibleName(f"{name}, the range of the sweep")
            field.setPlaceholderText(name)
            ends.addWidget(field)
        self.left.addLayout(ends)
        self.play, self.stop = QPushButton("Sweep", self), QPushButton("Stop", self)
        self.bar = QProgressBar(self)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(theme.px(6))
        buttons = QHBoxLayout()
        buttons.addWidget(self.play)
        buttons.addWidget(self.stop)
        buttons.addStretch(1)
        self.left.addLayout(buttons)
        self.left.addWidget(self.bar)
        self.told = WrappedLabel(theme, 12.5, parent=self)
        self.effect = WrappedLabel(theme, 12, muted=True, parent=self)
        self.set_button = QPushButton("Set it", self)
        self.set_button.clicked.connect(lambda _checked=False: self._set())
        for widget in (self.told, self.effect, self.set_button):
            self.right.addWidget(widget)
        self.item.activated.connect(lambda _at: self._on_item())
        self.setting.activated.connect(lambda _at: self._on_setting())
        self.play.clicked.connect(lambda _checked=False: self._play())
        self.stop.clicked.connect(lambda _checked=False: self._desk.many.stop())
        self.curve.tried.connect(self._on_tried)
        self.finish()
        self._names: list[str] = []
        self._step: Step | None = None

    # What is asked

    def refresh(self) -> None:
        """Show what there is to be swept, and how far a sweep is."""
        plan, many = self._desk.document.plan, self._desk.many
        names = [guest.label for guest in plan.guests]
        if names != self._names:
            self._names = names
            self.item.clear()
            self.item.addItems(names)
            current = self._desk.selection.current
            self.item.setCurrentIndex(plan.guest_index.get(current or "", 0))
            self._on_item()
        is_running = many.running == "sweep"
        self.play.setEnabled(not many.running and bool(names))
        self.stop.setVisible(is_running)
        self.bar.setVisible(is_running)
        self.bar.setMaximum(max(many.progress[1], 1))
        self.bar.setValue(many.progress[0])
        hint = "Choose a dial and what to watch; each value is played over the whole day."
        self.curve.show_sweep(many.swept, "Being played\u2026" if is_running else hint)
        self._tell_found(many.swept, many.problem)

    @property
    def guest(self) -> Guest | None:
        """Whose dial is swept."""
        plan, at = self._desk.document.plan, self.item.currentIndex()
        return plan.guests[at] if 0 <= at < len(plan.guests) else None

    def _on_item(self) -> None:
        guest = self.guest
        names = settings_of(guest)
        for chooser, first in ((self.setting, []), (self.second, [_NO_SECOND])):
            chooser.clear()
            chooser.addItems([*first, *(setting_word(name) for name in names)])
        self.watch.clear()
        outcomes = [text for name, text in _OUTCOMES if name != "late" or (guest and guest.demand.kind == "batch")]
        self.watch.addItems(outcomes)
        preferred = 4 if isinstance(guest and guest.memory, ThinMemory) else 0
        self.setting.setCurrentIndex(min(preferred, self.setting.count() - 1))
        self._on_setting()

    def _on_setting(self) -> None:
        guest, at = self.guest, self.setting.currentIndex()
        if guest is None or at < 0:
            return
        name = settings_of(guest)[at]
        low, high = usual_range(self._desk.document.site, guest, name)
        self.low.setText(value_text(name, low))
        self.high.setText(value_text(name, high))

    def _play(self) -> None:
        guest = self.guest
        if guest is None:
            return
        plan, names = self._desk.document.plan, settings_of(guest)
        try:
            name = names[self.setting.currentIndex()]
            second = self.second.currentIndex() - 1
            steps = STEPS_OF_TWO if second >= 0 else STEPS
            ranges = [parse_range(plan, f"{guest.id}:{name}={self.low.text()}..{self.high.text()}", steps)]
            if second >= 0 and names[second] == name:
                raise EditError("choose two different dials for a map")
            if second >= 0:
                low, high = usual_range(self._desk.document.site, guest, names[second])
                ranges.append(parse_range(plan, f"{guest.id}:{names[second]}={low}..{high}", steps))
        except (RuvexError, ValueError) as error:
            self.told.set_text(str(error))
            return
        text = self.watch.currentText()
        outcome = next(name for name, told in _OUTCOMES if told == text)
        self._desk.many.sweep(ranges, [Watch(guest.id, outcome)])

    # What was found

    def _tell_found(self, found: Sweep | None, problem: str) -> None:
        if self._desk.many.running == "sweep":
            done, of = self._desk.many.progress
            self.told.set_text(f"{done} of {of} days played\u2026")
            return
        if found is None:
            self.told.set_text(problem)
            self.effect.set_text("")
            self.set_button.hide()
            return
        plan = self._desk.document.plan
        names = " and ".join(f"{setting_word(one.setting)} of {label_of(plan, one.item)}" for one in found.ranges)
        text = f"{watch_text(found.watches[0], plan)}, by {names}."
        knee = found.knee()
        if knee is not None:
            only = found.ranges[0]
            text += f" Beyond {value_text(only.setting, only.values[knee])} more brings little more."
        if found.refused:
            text += f" {len(found.refused)} values are refused."
        self.told.set_text(text)
        if self.curve.chosen is None:
            self.effect.set_text("Drag the handle, or use the arrows, to try a value.")
            self.set_button.hide()

    def _on_tried(self, first: int, second: int) -> None:
        found, trial = self._desk.many.swept, self._desk.trial
        if found is None or first < 0:
            if self._step is not None and trial.step is self._step:
                trial.give_up()
            self._step = None
            self._tell_found(found, "")
            return
        at = (first, second)
        change = {one.setting: _as_set(self._desk.document.plan, one, one.values[place])
                  for one, place in zip(found.ranges, at, strict=False)}  # fmt: skip
        item = found.ranges[0].item
        values = [value_text(one.setting, one.values[place]) for one, place in zip(found.ranges, at, strict=False)]
        named = " and ".join(
            f"{setting_word(one.setting)} {value}" for one, value in zip(found.ranges, values, strict=True)
        )
        self._step = settings_step(f"{label_of(self._desk.document.plan, item)} {named}", [(item, change)])
        why = found.refused.get(at)
        self.effect.set_text(why or f"{named}: {self._outcome(found, at)}")
        self.set_button.setVisible(why is None)
        self.set_button.setText(f"Set {' and '.join(values)}")
        try:
            trial.try_(self._step)
        except EditError as error:
            self.effect.set_text(str(error))
            self.set_button.hide()

    def _outcome(self, found: Sweep, at: tuple[int, int]) -> str:
        value, now = float(found.table[0, at[0], at[1]]), float(found.now[0])
        return f"{watch_text(found.watches[0], self._desk.document.plan)} {value:.2f} instead of {now:.2f}"

    def _set(self) -> None:
        step = self._step
        self._step, self.curve.chosen = None, None
        if step is not None:
            self._desk.trial.take(step)


def _as_set(plan: Plan, one: Range, value: float) -> float | int:
    """Give a value as the setting takes it: a whole number where it is one."""
    item = find_item(plan, one.item)
    return round(value) if item is not None and isinstance(get_setting(item, one.setting), int) else value
