"""The one window: head band, view, dials, and the actions that belong to all of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QAction, QActionGroup, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import QFileDialog, QMainWindow, QMenu, QVBoxLayout, QWidget

from ruvex.desktop.actions import ActionName
from ruvex.desktop.demo import demo_path
from ruvex.desktop.open_plan import OpenPlan
from ruvex.desktop.state import State
from ruvex.desktop.theme import Theme
from ruvex.desktop.views.division import DivisionView
from ruvex.desktop.widgets.command_box import CommandBox, Entry
from ruvex.desktop.widgets.day_strip import LONG_STEP_S, STEP_S
from ruvex.desktop.widgets.dials import Dials
from ruvex.desktop.widgets.head_band import HeadBand
from ruvex.desktop.widgets.notice import Choice, Notice
from ruvex.plan import SUFFIX, PlanError, PlanFileError, UnitError, format_time, parse_time

_SCALES: Final = (0.9, 1.0, 1.15, 1.3, 1.5, 1.75, 2.0)
_FILTER: Final = f"Ruvex plans (*{SUFFIX});;All files (*)"

AskPath = Callable[["Window", str], Path | None]


def ask_open_path(window: Window, folder: str) -> Path | None:
    """Let the person choose a plan to open."""
    name, _ = QFileDialog.getOpenFileName(window, "Open a plan", folder, _FILTER)
    return Path(name) if name else None


def ask_save_path(window: Window, suggestion: str) -> Path | None:
    """Let the person choose where to write the plan."""
    name, _ = QFileDialog.getSaveFileName(window, "Save the plan as", suggestion, _FILTER)
    if not name:
        return None
    return Path(name) if name.endswith(".json") else Path(name + SUFFIX)


class Window(QMainWindow):
    """Ruvex's window.

    Attributes
    ----------
    open_plan, theme, state
        The open plan, the look, what is remembered.
    actions_by_name
        Every action of the registry.
    ask_open, ask_save
        How a path is asked for; tests answer in the person's place.
    """

    def __init__(self, open_plan: OpenPlan, theme: Theme, state: State) -> None:
        super().__init__()
        self.open_plan, self.theme, self.state = open_plan, theme, state
        # As the window's own, the open plan goes with it, after everything that listens to it.
        open_plan.setParent(self)
        self.ask_open: AskPath = ask_open_path
        self.ask_save: AskPath = ask_save_path
        self._may_close = False
        self.actions_by_name = {name: self._make_action(name) for name in ActionName}
        self.plan_menu = QMenu(self)
        self.recent_menu = QMenu("Recent plans", self)
        self.head = HeadBand(open_plan, theme, self.plan_menu, [self.actions_by_name[ActionName.DIVISION]], self)
        self.notice = Notice(theme, self)
        first_steps = [self.actions_by_name[name] for name in (ActionName.OPEN, ActionName.DEMO)]
        self.division = DivisionView(open_plan, theme, first_steps, self)
        self.dials = Dials(open_plan, theme, self)
        self.command_box = CommandBox(theme, self)
        self._lay_out()
        self._fill_menu()
        self._connect()
        self.setAcceptDrops(True)
        self.setMinimumSize(QSize(760, 480))
        self._on_theme_changed()
        self._on_named()
        self._on_undo_changed()
        self.division.butterfly.setFocus()

    def _lay_out(self) -> None:
        middle = QWidget(self)
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget, stretch in ((self.head, 0), (self.notice, 0), (self.division, 1), (self.dials, 0)):
            column.addWidget(widget, stretch)
        self.setCentralWidget(middle)

    # Actions

    def _make_action(self, name: ActionName) -> QAction:
        spec = name.value
        action = QAction(spec.text, self)
        action.setShortcuts([QKeySequence(keys) for keys in spec.keys])
        action.setToolTip(spec.hint)
        action.setStatusTip(spec.hint)
        action.setShortcutContext(Qt.ShortcutContext.WindowShortcut)
        self.addAction(action)
        return action

    def _connect(self) -> None:
        strip, butterfly = self.head.strip, self.division.butterfly
        run: dict[ActionName, Callable[[], object]] = {
            ActionName.NEW: self._on_new,
            ActionName.OPEN: self._on_open,
            ActionName.DEMO: self._on_demo,
            ActionName.SAVE: self.save,
            ActionName.SAVE_AS: self.save_as,
            ActionName.UNDO: self.open_plan.undo_stack.undo,
            ActionName.REDO: self.open_plan.undo_stack.redo,
            ActionName.FIND: self._on_find,
            ActionName.EARLIER: lambda: strip.step(-STEP_S),
            ActionName.LATER: lambda: strip.step(STEP_S),
            ActionName.HOUR_EARLIER: lambda: strip.step(-LONG_STEP_S),
            ActionName.HOUR_LATER: lambda: strip.step(LONG_STEP_S),
            ActionName.FOLD_ALL: lambda: butterfly.fold_all(folded=True),
            ActionName.UNFOLD_ALL: lambda: butterfly.fold_all(folded=False),
            ActionName.DIVISION: self._on_division,
            ActionName.DIALS: self._on_fold_dials,
            ActionName.LOOK_DESKTOP: lambda: self._set_look("desktop"),
            ActionName.LOOK_LIGHT: lambda: self._set_look("light"),
            ActionName.LOOK_DARK: lambda: self._set_look("dark"),
            ActionName.LARGER: lambda: self._set_scale(1),
            ActionName.SMALLER: lambda: self._set_scale(-1),
            ActionName.QUIT: self.close,
        }
        for name, function in run.items():
            self.actions_by_name[name].triggered.connect(lambda _checked=False, f=function: f())
        self.dials.fold_button.clicked.connect(self._on_fold_dials)
        butterfly.dials_asked.connect(self.dials.enter)
        self.recent_menu.aboutToShow.connect(self._on_recent_shown)
        self.open_plan.named.connect(self._on_named)
        self.open_plan.undo_stack.indexChanged.connect(self._on_undo_changed)
        self.theme.changed.connect(self._on_theme_changed)
        division = self.actions_by_name[ActionName.DIVISION]
        division.setCheckable(True)
        division.setChecked(True)

    def _fill_menu(self) -> None:
        def add(menu: QMenu, *names: ActionName) -> None:
            menu.addActions([self.actions_by_name[name] for name in names])

        menu = self.plan_menu
        add(menu, ActionName.NEW, ActionName.OPEN)
        menu.addMenu(self.recent_menu)
        add(menu, ActionName.DEMO, ActionName.SAVE, ActionName.SAVE_AS)
        menu.addSeparator()
        add(menu, ActionName.UNDO, ActionName.REDO)
        menu.addSeparator()
        add(menu, ActionName.FIND)
        moment = QMenu("Moment", self)
        add(moment, ActionName.EARLIER, ActionName.LATER, ActionName.HOUR_EARLIER, ActionName.HOUR_LATER)
        menu.addMenu(moment)
        rows = QMenu("Rows", self)
        add(rows, ActionName.FOLD_ALL, ActionName.UNFOLD_ALL, ActionName.DIALS)
        menu.addMenu(rows)
        look = QMenu("Look", self)
        looks = (ActionName.LOOK_DESKTOP, ActionName.LOOK_LIGHT, ActionName.LOOK_DARK)
        group = QActionGroup(self)
        for name in looks:
            self.actions_by_name[name].setCheckable(True)
            group.addAction(self.actions_by_name[name])
        add(look, *looks)
        look.addSeparator()
        add(look, ActionName.LARGER, ActionName.SMALLER)
        menu.addMenu(look)
        menu.addSeparator()
        add(menu, ActionName.QUIT)

    # The plan's file

    def open_path(self, path: Path) -> bool:
        """Open a plan; says in the window why, if it cannot. Tells whether it did."""
        try:
            self.open_plan.open(path)
        except (PlanError, PlanFileError) as error:
            reasons = map(str, error.problems) if isinstance(error, PlanError) else [str(error)]
            self.notice.tell("\n".join([f"{path.name} was not opened.", *reasons]))
            return False
        self.notice.hide()
        self.state.add_recent(path)
        return True

    def save(self) -> bool:
        """Write the plan to its file, asking for one if it has none. Tells whether it did."""
        return self._write(self.open_plan.path) if self.open_plan.path else self.save_as()

    def save_as(self) -> bool:
        """Ask for a file and write the plan to it. Tells whether it did."""
        name = self.open_plan.plan.name.lower().replace(" ", "-").replace("/", "-") or "plan"
        suggestion = self.open_plan.path or Path.home() / f"{name}{SUFFIX}"
        path = self.ask_save(self, str(suggestion))
        return path is not None and self._write(path)

    def _write(self, path: Path) -> bool:
        try:
            self.open_plan.save(path)
        except PlanFileError as error:
            self.notice.tell(f"The plan was not saved.\n{error}")
            return False
        self.state.add_recent(path)
        return True

    def _on_new(self) -> None:
        self._after_saving(self.open_plan.new)

    def _on_open(self) -> None:
        folder = self.open_plan.path.parent if self.open_plan.path else Path.home()
        path = self.ask_open(self, str(folder))
        if path is not None:
            self._after_saving(lambda: self.open_path(path))

    def _on_demo(self) -> None:
        try:
            path = demo_path()
        except PlanFileError as error:
            self.notice.tell(str(error))
        else:
            self._after_saving(lambda: self.open_path(path))

    def _after_saving(self, go_on: Callable[[], object]) -> None:
        """Do something that replaces the plan; with unsaved changes, ask first, in the window."""
        if not self.open_plan.is_dirty:
            go_on()
            return
        choices: list[Choice] = [
            ("Save first", lambda: go_on() if self.save() else None),
            ("Go on without saving", go_on),
            ("Stay", lambda: None),
        ]
        self.notice.tell(f"{self.open_plan.plan.name or 'This plan'} has changes that are not saved.", choices)

    def _on_recent_shown(self) -> None:
        self.recent_menu.clear()
        for path in self.state.recent:
            action = self.recent_menu.addAction(f"{path.name.removesuffix(SUFFIX)}   {path.parent}")
            assert action is not None
            action.triggered.connect(lambda _checked=False, p=path: self._after_saving(lambda: self.open_path(p)))
        if not self.state.recent:
            action = self.recent_menu.addAction("None yet")
            assert action is not None
            action.setEnabled(False)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Take a file that is dragged over the window."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open the file that was dropped."""
        data = event.mimeData() if event is not None else None
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data is not None else []
        if paths:
            self._after_saving(lambda: self.open_path(paths[0]))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close, but ask first where work would be lost."""
        if event is None:
            return
        if self.open_plan.is_dirty and not self._may_close:
            event.ignore()
            self._after_saving(self._close_now)
        else:
            event.accept()

    def _close_now(self) -> None:
        self._may_close = True
        self.close()

    # Following the open plan and the theme

    def _on_named(self) -> None:
        open_plan = self.open_plan
        name = open_plan.plan.name or (open_plan.path.name if open_plan.path else "New plan")
        self.setWindowTitle(f"{name}[*] – Ruvex")
        self.setWindowModified(open_plan.is_dirty)

    def _on_undo_changed(self) -> None:
        stack = self.open_plan.undo_stack
        for name, can, text in (
            (ActionName.UNDO, stack.canUndo(), stack.undoText()),
            (ActionName.REDO, stack.canRedo(), stack.redoText()),
        ):
            action = self.actions_by_name[name]
            action.setEnabled(can)
            action.setText(f"{name.value.text}: {text}" if text else name.value.text)

    def _on_find(self) -> None:
        plan, select = self.open_plan.plan, self._show_row
        entries = [Entry(pool.label, "pool", partial(select, pool.id)) for pool in plan.pools]
        entries += [Entry(guest.label, "guest", partial(select, guest.id)) for guest in plan.guests]
        for name, action in self.actions_by_name.items():
            if action.isEnabled() and name is not ActionName.FIND:
                entries.append(Entry(action.text(), name.value.hint, action.trigger))
        self.command_box.open(entries, self._times)

    def _show_row(self, item_id: str) -> None:
        self.open_plan.select(item_id)
        self.division.butterfly.setFocus()

    def _times(self, text: str) -> list[Entry]:
        try:
            at_s = parse_time(text) if ":" in text else -1.0
        except UnitError:
            return []
        if not 0 <= at_s <= self.open_plan.plan.day_s:
            return []
        return [Entry(format_time(at_s), "move the moment there", lambda: self.open_plan.set_moment(at_s))]

    def _on_division(self) -> None:
        self.actions_by_name[ActionName.DIVISION].setChecked(True)
        self.division.butterfly.setFocus()

    def _on_fold_dials(self) -> None:
        self.dials.set_folded(not self.dials.is_folded)

    def _set_look(self, mode: str) -> None:
        self.state.theme_mode = mode
        self.theme.set_mode(mode)

    def _set_scale(self, steps: int) -> None:
        nearest = min(range(len(_SCALES)), key=lambda i: abs(_SCALES[i] - self.theme.scale))
        scale = _SCALES[min(max(nearest + steps, 0), len(_SCALES) - 1)]
        self.state.text_scale = scale
        self.theme.set_scale(scale)

    def _on_theme_changed(self) -> None:
        theme, colours = self.theme, self.theme.colours
        for name in (ActionName.LOOK_DESKTOP, ActionName.LOOK_LIGHT, ActionName.LOOK_DARK):
            self.actions_by_name[name].setChecked(name.name == f"LOOK_{theme.mode.upper()}")
        self.plan_menu.setFont(theme.font())
        self.setStyleSheet(
            f"QMainWindow {{ background: {colours.paper.name()}; }}"
            f"QMenu {{ background: {colours.panel.name()}; color: {colours.ink.name()};"
            f" border: 1px solid {colours.line.name()}; padding: 4px; font-size: {theme.px(13)}px; }}"
            f"QMenu::item {{ padding: 4px 26px 4px 14px; border-radius: 4px; }}"
            f"QMenu::item:selected {{ background: {colours.band_row.name()}; }}"
            f"QMenu::item:disabled {{ color: {colours.faint.name()}; }}"
            f"QMenu::separator {{ height: 1px; background: {colours.line.name()}; margin: 4px 8px; }}"
            f"QToolTip {{ background: {colours.panel.name()}; color: {colours.ink.name()};"
            f" border: 1px solid {colours.line.name()}; padding: 4px; font-size: {theme.px(12)}px; }}"
            f"QPushButton {{ color: {colours.ink.name()}; background: {colours.panel.name()};"
            f" border: 1px solid {colours.line.name()}; border-radius: 4px; padding: 3px 12px; }}"
            f"QPushButton:hover, QPushButton:focus {{ border-color: {colours.ink.name()}; }}"
            f"QScrollBar:vertical {{ background: transparent; width: 10px; }}"
            f"QScrollBar::handle:vertical {{ background: {colours.line.name()}; border-radius: 4px;"
            f" min-height: 30px; }}"
            f"QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}"
        )
