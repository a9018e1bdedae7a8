"""What can be turned beside the threads, and what each would do: nothing is set until that is asked for."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from ruvex.cores import Answer, RoomForMore, part_limit, vcpu_change, vcpu_choices
from ruvex.desktop.kit.letting_go import let_go_of_all_in
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.style import set_look, set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.core_numbers import read_cores, write_cores
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import settings_step
from ruvex.desktop.views.cores.answer_picture import AnswerPicture, work_text
from ruvex.desktop.views.cores.pane import Pane
from ruvex.desktop.views.cores.words import turn_lines, wait_text
from ruvex.plan import EditError, Guest, Plan, UnitError, format_number, parse_number
from ruvex.words import counted

WIDTH: Final = 332
_READING_LINES: Final = 5
_LEAST_TURN_MS: Final = 1.0
_MOST_TURN_MS: Final = 100.0
_SLIDER: Final = 200
_STEP: Final = 4
"""Of the slider: about a tenth longer."""
_MIDDLE: Final = Qt.AlignmentFlag.AlignCenter & ~Qt.AlignmentFlag.AlignHCenter
_FELLOWS: Final = ("own", "lead", "together")


class Controls(QScrollArea):
    """The right side of the view.

    Attributes
    ----------
    turn, fellows, vcpus, part, second, beside, cores, crowd_field
        What can be turned: the length of a turn; how fellows keep to each other; the numbers of vCPUs by number, and
        ``limited``, to what part of them; whether the guest may run on second threads, and side by side; the cores it
        is kept to; how long waits may get.
    set_button, leave_button
        Keep what is tried, or leave it as it was.

    Signals
    -------
    told(text)
        Something cannot be tried, and why.
    """

    told = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme, pane: Pane, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._pane = desk, theme, pane
        self._is_showing = False
        self._inner = QWidget(self)
        self._reading = WrappedLabel(theme, 12, parent=self._inner)
        self.turn = QSlider(Qt.Orientation.Horizontal, self._inner)
        self.turn.setRange(0, _SLIDER)
        self.turn.setSingleStep(_STEP)
        self.turn.setPageStep(5 * _STEP)
        self.turn.setAccessibleName("Length of a turn")
        self.turn.valueChanged.connect(self._on_turn)
        self._turn_text = QLabel(self._inner)
        self._turn_text.setAlignment(Qt.AlignmentFlag.AlignRight | _MIDDLE)
        self.fellows = self._segments(("on its own", "lead", "all or none"), self._on_fellows)
        self.second, self.beside = QCheckBox("second ones too", self._inner), QCheckBox("side by side", self._inner)
        self.second.setToolTip("Its vCPUs may run on the second threads of cores")
        self.beside.setToolTip("Its vCPUs run on as few cores as they fill")
        for box, key in ((self.second, "second_threads"), (self.beside, "side_by_side")):
            box.clicked.connect(lambda is_on, name=key: self._on_threads(name, is_on=is_on))
        self.part = SettingField("part", "limited to", theme, width=64, beside=True)
        self.part.setToolTip("Of all its vCPUs at full speed, what the last column leaves it")
        self.part.typed.connect(lambda _key, text: self._on_part(text))
        self.cores = SettingField("cores.only", "kept to cores", theme, width=110, beside=True)
        self.cores.setToolTip("Numbers of cores, such as 0-3, 8; all if left empty")
        self.cores.typed.connect(lambda _key, text: self._on_cores(text))
        self.vcpus: dict[int | str, QPushButton] = {}
        self._ladder = QWidget(self._inner)
        self._grid = QGridLayout(self._ladder)
        self._figures: dict[tuple[int | str, int], QLabel] = {}
        self._ladder_of: tuple[object, ...] = ()
        self._title = WrappedLabel(theme, 13, parent=self._inner)
        self._medians = QLabel(self._inner)
        self.picture = AnswerPicture(theme, self._inner)
        self.set_button, self.leave_button = QPushButton("Set it", self), QPushButton("Leave it", self)
        self.set_button.clicked.connect(lambda _checked=False: desk.trial.keep())
        self.leave_button.clicked.connect(lambda _checked=False: desk.trial.give_up())
        self.crowd_field = SettingField("crowd", "until 95 % wait longer than", theme, width=64, beside=True)
        self.crowd_field.typed.connect(lambda _key, text: self._on_crowd(text))
        self._crowd = WrappedLabel(theme, 12, parent=self._inner)
        self._labels: list[QLabel] = []
        self._lay_out()
        self.setWidget(self._inner)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for signal in (desk.tracing.changed, desk.tracing.answered, desk.selection.changed, desk.look.changed):
            signal.connect(self.refresh)
        pane.lit_changed.connect(self._show_reading)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    # Parts

    def _segments(self, texts: Sequence[str], run: Callable[[int], None]) -> list[QPushButton]:
        found = []
        for number, text in enumerate(texts):
            button = QPushButton(text, self._inner)
            button.setCheckable(True)
            button.clicked.connect(lambda _checked=False, chosen=number: run(chosen))
            set_role(button, "segment")
            found.append(button)
        return found

    def _label(self, text: str) -> QLabel:
        label = QLabel(text, self._inner)
        set_role(label, "muted")
        self._labels.append(label)
        return label

    def _row(self, text: str, widgets: Sequence[QWidget], *, stretch: bool = False) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self._label(text))
        row.addSpacing(6)
        if not stretch:
            row.addStretch(1)
        for widget in widgets:
            row.addWidget(widget, 1 if stretch and widget is widgets[0] else 0)
        return row

    def _lay_out(self) -> None:
        column = QVBoxLayout(self._inner)
        column.setContentsMargins(14, 6, 10, 8)
        column.setSpacing(4)
        self._reading_room = QWidget(self._inner)
        room = QVBoxLayout(self._reading_room)
        room.setContentsMargins(0, 0, 0, 0)
        room.addWidget(self._reading)
        room.addStretch(1)
        column.addWidget(self._reading_room)
        column.addLayout(self._row("turn", [self.turn, self._turn_text], stretch=True))
        column.addLayout(self._row("fellows", self.fellows))
        column.addWidget(self._ladder)
        column.addWidget(self.part, 0, Qt.AlignmentFlag.AlignRight)
        buttons = QHBoxLayout()
        buttons.addWidget(self._title, 1)
        buttons.addWidget(self.set_button)
        buttons.addWidget(self.leave_button)
        column.addLayout(buttons)
        column.addWidget(self.picture)
        column.addWidget(self._medians)
        column.addLayout(self._row("its threads", [self.second, self.beside]))
        column.addWidget(self.cores)
        column.addWidget(self._label("How many more like it"))
        column.addWidget(self.crowd_field)
        column.addWidget(self._crowd)
        column.addStretch(1)

    # What is shown

    def refresh(self) -> None:
        """Show what is in force, what is tried, and the answers that are there."""
        if not self.isVisible():
            return
        self._is_showing = True
        self._show_rules()
        self._show_guest()
        self._show_answer()
        self._show_crowd()
        self._show_reading()
        self._is_showing = False

    @property
    def told_of_turn(self) -> str:
        """What is read of the turn that is lit."""
        return self._reading.text()

    @property
    def _plan(self) -> Plan:
        """The plan as it is, without what is tried."""
        before = self._desk.look.before
        return self._desk.document.plan if before is None else before.site.plan

    @property
    def _guest(self) -> Guest | None:
        """The selected guest as it is, if it is on at this host."""
        guest, plan = self._desk.tracing.guest, self._plan
        return None if guest is None or guest.id not in plan.guest_index else plan.guests[plan.guest_index[guest.id]]

    def _show_rules(self) -> None:
        now, tried = self._plan.rules.turns, self._desk.look.plan.rules.turns
        part = math.log(tried.turn_ms / _LEAST_TURN_MS) / math.log(_MOST_TURN_MS / _LEAST_TURN_MS)
        if not self.turn.isSliderDown():
            self.turn.setValue(round(min(max(part, 0.0), 1.0) * _SLIDER))
        text = f"{tried.turn_ms:g} ms"
        self._turn_text.setText(text if tried.turn_ms == now.turn_ms else f"{now.turn_ms:g} \u2192 {text}")
        self.fellows[1].setText(f"{tried.lead_ms:g} ms ahead")
        for button, name in zip(self.fellows, _FELLOWS, strict=True):
            _show_choice(button, is_set=now.fellows == name, is_tried=tried.fellows == name != now.fellows)

    def _show_guest(self) -> None:
        guest, look = self._guest, self._desk.look.plan
        for widget in (self.second, self.beside, self.cores, self.part):
            widget.setEnabled(guest is not None)
        self._lay_ladder(guest)
        if guest is None:
            self.cores.show_value("")
            self.part.show_value("")
            self.second.setChecked(False)
            self.beside.setChecked(False)
            return
        tried = look.guests[look.guest_index[guest.id]]
        self.second.setChecked(tried.cores.second_threads)
        self.beside.setChecked(tried.cores.side_by_side)
        self.cores.show_value(write_cores(tried.cores.only))
        is_limited = tried.vcpus == guest.vcpus and tried.cpu.limit != guest.cpu.limit
        percent = f"{100 * self._desk.tracing.part:g} %"
        self.part.show_value(percent)
        self.vcpus["limited"].setToolTip(f"{counted(guest.vcpus, 'vCPU')}, limited to {percent} of their full speed")
        self.vcpus["limited"].setAccessibleName(self.vcpus["limited"].toolTip())
        for choice, button in self.vcpus.items():
            is_tried = is_limited if choice == "limited" else tried.vcpus == choice != guest.vcpus
            _show_choice(button, is_set=choice == guest.vcpus, is_tried=is_tried)

    def _lay_ladder(self, guest: Guest | None) -> None:
        """Let there be a column for each number of vCPUs that is worth trying."""
        key = () if guest is None else (guest.id, guest.vcpus)
        if key != self._ladder_of:
            self._ladder_of = key
            let_go_of_all_in(self._grid)
            self.vcpus.clear()
            self._figures.clear()
            if guest is not None:
                self._fill_ladder(guest)
            self._on_theme_changed()
        self._ladder.setVisible(guest is not None)
        answers = self._desk.tracing.answers
        own = answers.get("now")
        for (choice, line), label in self._figures.items():
            label.setText(_ladder_text(own, answers.get(choice), line, is_known=choice in answers))

    def _fill_ladder(self, guest: Guest) -> None:
        self._grid.setContentsMargins(0, 2, 0, 2)
        self._grid.setHorizontalSpacing(5)
        self._grid.setVerticalSpacing(1)
        for line, text in enumerate(("vCPUs", "own work", "own wait", "others' wait")):
            label = QLabel(text, self._ladder)
            set_role(label, "muted")
            self._grid.addWidget(label, line, 0)
        self._grid.setColumnStretch(0, 1)
        choices: list[int | str] = [*vcpu_choices(guest), "limited"]
        for column, choice in enumerate(choices, 1):
            button = QPushButton("limited" if choice == "limited" else str(choice), self._ladder)
            button.setCheckable(True)
            button.setToolTip(counted(int(choice), "vCPU") if choice != "limited" else "")
            button.setAccessibleName(button.toolTip())
            set_role(button, "segment")
            button.clicked.connect(lambda _checked=False, chosen=choice: self._on_vcpus(chosen))
            self.vcpus[choice] = button
            self._grid.addWidget(button, 0, column)
            for line in (1, 2, 3):
                label = QLabel(self._ladder)
                label.setAlignment(Qt.AlignmentFlag.AlignRight | _MIDDLE)
                self._figures[choice, line] = label
                self._grid.addWidget(label, line, column)

    def _show_answer(self) -> None:
        desk, answers = self._desk, self._desk.tracing.answers
        is_trying = desk.look.before is not None
        guest = self._guest
        text = "As it is" if guest is None else f"{guest.label} as it is"
        if is_trying:
            text = desk.trial.step.text if desk.trial.step is not None else "As tried"
        self._title.set_text(text)
        self.set_button.setVisible(desk.trial.step is not None)
        self.leave_button.setVisible(desk.trial.step is not None)
        position = None if guest is None else desk.look.division.position.get(guest.id)
        top = -1 if position is None else int(desk.look.division.top_pool[position])
        tried = answers.get("tried") if is_trying else None
        now = answers.get("now") if not is_trying or tried is not None else None
        self.picture.show_answers(now, tried, None if top < 0 else top)
        windows = 0 if now is None else now.windows
        self._medians.setText(f"medians of {windows} windows" if windows else "")

    def _show_crowd(self) -> None:
        tracing, guest = self._desk.tracing, self._guest
        self.crowd_field.show_value(f"{tracing.crowd_ms:g} ms")
        self.crowd_field.setEnabled(guest is not None)
        if guest is None:
            self._crowd.set_text("Select a guest that is on at this host.")
        elif tracing.crowd is None:
            self._crowd.set_text(
                "is found out while nothing is tried" if self._desk.look.before else "working it out\u2026"
            )
        else:
            self._crowd.set_text(crowd_text(tracing.crowd))

    def _show_reading(self) -> None:
        strips, lit = self._pane.strips, self._pane.lit
        if strips is None or lit is None:
            self._reading.set_text(
                "Point at a turn, or go to one with the arrows: who ran, how long, who waited, and why it ended."
            )
            return
        lines = [line for line in turn_lines(strips, lit) if line]
        self._reading.set_text("\n".join(lines))

    # What is turned

    def _try(self, text: str, target: str, change: Mapping[str, Any]) -> None:
        """Show what a change would do; one that would change nothing gives up what is tried."""
        trial = self._desk.trial
        try:
            trial.try_(settings_step(text, [(target, change)]))
        except EditError as error:
            trial.give_up()
            self.told.emit(str(error))
        self.refresh()

    def _on_turn(self, value: int) -> None:
        if self._is_showing:
            return
        ms = _LEAST_TURN_MS * (_MOST_TURN_MS / _LEAST_TURN_MS) ** (value / _SLIDER)
        ms = float(f"{ms:.2g}")
        now = self._plan.rules.turns.turn_ms
        if ms == now:
            self._desk.trial.give_up()
        else:
            self._try(f"a turn lasts {now:g} \u2192 {ms:g} ms", "rules", {"turns.turn_ms": ms})

    def _on_fellows(self, number: int) -> None:
        now = self._plan.rules.turns
        if _FELLOWS[number] == now.fellows:
            self._leave()
        else:
            words = ("each on its own", f"at most {now.lead_ms:g} ms ahead", "all or none")
            self._try(f"fellows run {words[number]}", "rules", {"turns.fellows": _FELLOWS[number]})

    def _on_vcpus(self, choice: int | str) -> None:
        guest, machine = self._guest, self._desk.tracing.machine
        if guest is None or machine is None:
            return
        if choice == "limited":
            part = self._desk.tracing.part
            self._try(f"{guest.label}: a limit at {100 * part:g} %", guest.id, part_limit(guest, machine, part))
        elif choice == guest.vcpus:
            self._leave()
        else:
            text = f"{guest.label}: {guest.vcpus} \u2192 {counted(int(choice), 'vCPU')}"
            self._try(text, guest.id, vcpu_change(guest, machine, int(choice)))

    def _on_threads(self, name: str, *, is_on: bool) -> None:
        guest = self._guest
        if guest is None:
            return
        if getattr(guest.cores, name) == is_on:
            self._leave()
            return
        words = {
            ("second_threads", True): "on second threads too", ("second_threads", False): "off second threads",
            ("side_by_side", True): "side by side", ("side_by_side", False): "on any core",
        }[name, is_on]  # fmt: skip
        self._try(f"{guest.label}: its vCPUs {words}", guest.id, {f"cores.{name}": is_on})

    def _on_part(self, text: str) -> None:
        try:
            value = parse_number(text.removesuffix("%")) / 100
        except UnitError as error:
            self.told.emit(str(error))
            value = 0.0
        if 0 < value <= 1:
            self._desk.tracing.ask_part(value)
        self.part.accept()
        self.refresh()

    def _on_cores(self, text: str) -> None:
        guest = self._guest
        if guest is None:
            return
        try:
            only = read_cores(text)
        except UnitError as error:
            self.told.emit(str(error))
            self.cores.show_value(write_cores(guest.cores.only))
            return
        if only == guest.cores.only:
            self._leave()
        else:
            told = f"kept to cores {text.strip()}" if only is not None else "on all cores"
            self._try(f"{guest.label}: {told}", guest.id, {"cores.only": only})

    def _leave(self) -> None:
        self._desk.trial.give_up()
        self.refresh()

    def _on_crowd(self, text: str) -> None:
        try:
            value = parse_number(text.removesuffix("ms"))
        except UnitError as error:
            self.told.emit(str(error))
            value = 0.0
        if value > 0:
            self._desk.tracing.ask_crowd(value)
        self.refresh()

    # Looks

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self.setFixedWidth(theme.px(WIDTH))
        self._reading_room.setFixedHeight(round(theme.metrics(12).height() * _READING_LINES))
        for widget in (
            *self.fellows, self.second, self.beside, *self.vcpus.values(), *self._labels, *self._figures.values(),
            self._turn_text, self._medians, self.set_button, self.leave_button,
        ):  # fmt: skip
            widget.setFont(theme.font(12))
        for label in self._ladder.findChildren(QLabel):
            label.setFont(theme.font(11.5))
        self._turn_text.setMinimumWidth(theme.px(64))
        for field in (self.cores, self.part, self.crowd_field):
            field.style_anew()


def _show_choice(button: QPushButton, *, is_set: bool, is_tried: bool) -> None:
    """Show whether a choice is in force (filled), or tried (a ring)."""
    button.setChecked(is_set)
    set_look(button, "tried", is_tried)


def _ladder_text(now: Answer | None, answer: Answer | None, line: int, *, is_known: bool) -> str:
    if answer is None or now is None:
        return "\u2013" if is_known else "\u2026"
    if line == 3:
        return wait_text(answer.neighbours.p95_ms)
    if answer.own is None or now.own is None:
        return "\u2013"
    if line == 2:
        return wait_text(answer.own.p95_ms)
    if answer is now:
        return f"{now.own.worked_mhz / 1000:.1f}"
    return work_text(now.own.worked_mhz, answer.own.worked_mhz).replace("the same", "=")


def crowd_text(crowd: RoomForMore) -> str:
    """Say how many more fit.

    Examples
    --------
    >>> crowd_text(RoomForMore(2, False, ((0, 4.0, 12.0), (2, 5.0, 30.0), (3, 5.5, 37.2))))
    '2 more, 5.0 vCPUs a core; with 3 waits reach 37 ms.'
    >>> crowd_text(RoomForMore(None, False, ((0, 4.1, 52.0),)))
    'None: waits reach 52 ms already, at 4.1 vCPUs a core.'
    """
    if not crowd.tried:
        return "It cannot be found out here."
    if crowd.most is None:
        _, per_core, p95 = crowd.tried[0]
        return f"None: waits reach {wait_text(p95)} ms already, at {per_core:.1f} vCPUs a core."
    per_core = next(found for copies, found, _ in crowd.tried if copies == crowd.most)
    if crowd.is_all:
        return f"{crowd.most} more and further ones, {per_core:.0f} vCPUs a core."
    over = next(((copies, p95) for copies, _, p95 in crowd.tried if copies > crowd.most), None)
    more = f"; with {over[0]} waits reach {wait_text(over[1])} ms" if over is not None else ""
    return f"{format_number(crowd.most)} more, {per_core:.1f} vCPUs a core{more}."
