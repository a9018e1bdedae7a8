"""The one window: head band, view, dials, side sheet, and the actions that belong to all of them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QPoint, QSize
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QStackedWidget, QVBoxLayout, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.command_box import CommandBox
from ruvex.desktop.kit.notice import Notice
from ruvex.desktop.kit.style import dress
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.dials import Dials
from ruvex.desktop.panels.head_band import HeadBand
from ruvex.desktop.panels.refusal_panel import RefusalPanel
from ruvex.desktop.panels.view import Bench, View, bind
from ruvex.desktop.sheets import SideSheet
from ruvex.desktop.shell.actions import (
    make_action,
    make_view_action,
    runs_of_files,
    runs_of_looks,
    runs_of_rows,
)
from ruvex.desktop.shell.arrangement import Arrangement
from ruvex.desktop.shell.copying import copy_chart
from ruvex.desktop.shell.exchanging import Exchanging
from ruvex.desktop.shell.finding import Finder
from ruvex.desktop.shell.frame import Frame
from ruvex.desktop.shell.handing import Handing
from ruvex.desktop.shell.looks import Looks
from ruvex.desktop.shell.menus import LOOKS, fill_plan_menu, fill_row_menu
from ruvex.desktop.shell.pages import Pages
from ruvex.desktop.shell.plan_files import PlanFiles, ask_open_path, ask_save_path
from ruvex.desktop.shell.reporting import Reporting
from ruvex.desktop.shell.views import VIEWS
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.events import EventEditor
from ruvex.desktop.state.live_work import LiveWork
from ruvex.desktop.state.look import Mode
from ruvex.desktop.state.preferences import Preferences
from ruvex.desktop.state.steps import Step


class Window(Frame):
    """Ruvex's window.

    Attributes
    ----------
    desk, theme, preferences
        The open plan, the look, what is remembered.
    editor, files
        What can be done with the selected rows, and with the plan's file.
    actions_by_name, view_actions
        Every action of the registry; and those that go to the views, by the names of these.
    views
        The views by name.
    sheet, pages
        The side sheet, and its pages.
    ask_open, ask_save
        How a path is asked for; tests answer in the person's place.
    """

    def __init__(self, desk: Desk, theme: Theme, preferences: Preferences) -> None:
        super().__init__()
        self.desk, self.theme, self.preferences = desk, theme, preferences
        # As the window's own, the open plan goes with it, after everything that listens to it.
        desk.setParent(self)
        self.ask_open, self.ask_save = ask_open_path, ask_save_path
        self._may_close = False
        self._mode: Mode = "settled"
        self.editor = Editor(desk)
        self.playing = desk.playing
        self.live = LiveWork(desk, self.playing, self.editor)
        self.events = EventEditor(desk, desk)
        self.actions_by_name = {name: make_action(name, self) for name in ActionName}
        self.plan_menu = QMenu(self)
        self.recent_menu = QMenu("Recent plans", self)
        self.stories_menu = QMenu("Stories", self)
        self.view_actions = {
            spec.name: make_view_action(spec, f"Ctrl+{number}", self) for number, spec in enumerate(VIEWS, 1)
        }
        self.head = HeadBand(desk, theme, self.plan_menu, list(self.view_actions.values()), self)
        self.notice = Notice(theme, self)
        self.sheet = SideSheet(theme, self)
        bench = Bench(desk, self.editor, self.live, self.events, theme, self.actions_by_name)
        self.pages = Pages(bench, self.sheet)
        self.files, self.exchanging = PlanFiles(self), Exchanging(self, self.editor, self.sheet, self.pages)
        self.handing, self.reporting = Handing(self, self.sheet, self.pages), Reporting(self)
        self.views = {spec.name: spec.make(bench, self) for spec in VIEWS}
        self.refusal = RefusalPanel(desk, theme, self)
        self.dials = Dials(desk, theme, self)
        self.command_box = CommandBox(theme, self)
        self._finder = Finder(self.command_box, bench, self.files, self.view_actions, lambda: self.view.setFocus())
        self._arrangement = Arrangement(self, self.dials, self.views, self.pages, desk.units)
        self._looks = Looks(theme, preferences)
        self._lay_out()
        fill_plan_menu(self.plan_menu, self.recent_menu, self.stories_menu, self.actions_by_name, self)
        self.row_menu = QMenu(self)
        fill_row_menu(self.row_menu, self.actions_by_name)
        self._connect()
        self.setAcceptDrops(True)
        self.setMinimumSize(QSize(760, 480))
        self._arrangement.take(preferences.layout)
        self._on_theme_changed()
        self._on_named()
        self._on_undo_changed()
        self.view.setFocus()
        theme.setParent(self)  # last: where the window cannot be made, another one is made with this theme

    def _lay_out(self) -> None:
        rows = QWidget(self)
        beside = QHBoxLayout(rows)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        self._stack = QStackedWidget(rows)
        for view in self.views.values():
            self._stack.addWidget(view)
        beside.addWidget(self._stack, 1)
        beside.addWidget(self.sheet)
        middle = QWidget(self)
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.head, self.notice, rows, self.refusal, self.dials):
            column.addWidget(widget, 1 if widget is rows else 0)
        self.setCentralWidget(middle)

    def _runs(self) -> dict[ActionName, Callable[[], object]]:
        """Give what each action runs."""
        return {
            **runs_of_files(self.files, self.exchanging, self.handing),
            **runs_of_rows(self.editor, self.live, self._finder),
            **runs_of_looks(self.head.strip, self.desk.units, self._looks),
            **{name: partial(self.pages.toggle, name) for name in self.pages.actions},
            ActionName.REPORT: self.reporting.ask_and_write,
            ActionName.COPY_CHART: lambda: self._tell(copy_chart(self.view)),
            ActionName.UNDO: self.desk.document.undo,
            ActionName.REDO: self.desk.document.redo,
            ActionName.NEW_HOST: self.pages.add_host,
            ActionName.SETTLED: self._on_settled,
            ActionName.DIALS: lambda: self.dials.set_folded(not self.dials.is_folded),
            ActionName.QUIT: self.close,
        }

    def _connect(self) -> None:
        bind(self.actions_by_name, self._runs())
        for spec in VIEWS:
            view = self.views[spec.name]
            self.view_actions[spec.name].triggered.connect(partial(self.show_view, spec.name))
            view.told.connect(self._tell)
            view.legend_changed.connect(self._show_legend)
            view.menu_asked.connect(self._on_menu_asked)
            view.dials_asked.connect(self.dials.enter)
            view.asked.connect(partial(self.show_view, spec.name))
        self.dials.fold_button.clicked.connect(self.actions_by_name[ActionName.DIALS].trigger)
        self.dials.why_button.clicked.connect(self.actions_by_name[ActionName.WHY].trigger)
        self.sheet.page_changed.connect(self._on_page_changed)
        self.head.host_wanted.connect(self.pages.add_host)
        self.editor.told.connect(self._tell)
        self.playing.refused.connect(self._tell)
        self.sheet.closed.connect(lambda: self.view.setFocus())
        self.recent_menu.aboutToShow.connect(self.files.show_recent)
        self.desk.document.named.connect(self._on_named)
        self.desk.selection.changed.connect(self.pages.follow_selection)
        self.desk.trial.refused_changed.connect(self._on_refused_changed)
        self.desk.trial.mend_offered.connect(self._on_mend_offered)
        self.editor.host_busy.connect(self._on_host_busy)
        self.editor.table_offered.connect(self.exchanging.show_table)
        self.desk.document.undo_stack.indexChanged.connect(self._on_undo_changed)
        self.theme.changed.connect(self._on_theme_changed)
        self.stories_menu.aboutToShow.connect(self.files.show_stories)
        self.show_view(VIEWS[0].name)

    def _tell(self, text: str) -> None:
        self.notice.tell(text)

    # The side sheet

    def _on_page_changed(self) -> None:
        self.dials.why_button.setChecked(self.pages.shows_page_of(ActionName.WHY))

    # Rows

    def _on_menu_asked(self, point: QPoint) -> None:
        self.row_menu.popup(point)

    def _on_mend_offered(self, text: str, label: str, step: Step) -> None:
        self.notice.tell(text, ((label, partial(self.desk.trial.take, step)), ("Leave it as it was", lambda: None)))

    def _on_host_busy(self, host: str, text: str) -> None:
        find_others = partial(self.pages.empty_host, host)
        self.notice.tell(text, (("Find them other hosts", find_others), ("Leave it", lambda: None)))

    def _on_refused_changed(self) -> None:
        if self.desk.trial.refused is None and self.focusWidget() in (None, self.refusal.close_button):
            self.view.setFocus()

    # The plan's file

    def open_path(self, path: Path) -> bool:
        """Open a plan, or bring a file in; says in the window why, if it cannot. Tells whether it did, or began to."""
        return self.exchanging.bring(path) if self.exchanging.takes(path) else self.files.open_path(path)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Take a file that is dragged over the window."""
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and any(url.isLocalFile() for url in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Open the file that was dropped."""
        data = event.mimeData() if event is not None else None
        paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()] if data is not None else []
        if paths and self.exchanging.takes(paths[0]):
            self.open_path(paths[0])
        elif paths:
            self.files.after_saving(lambda: self.open_path(paths[0]))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close, but ask first where work would be lost."""
        if event is None:
            return
        if self.desk.document.is_dirty and not self._may_close:
            event.ignore()
            self.files.after_saving(self._close_now, without="Close without saving")
        else:
            self.preferences.layout = self._arrangement.now()
            self.files.close()
            self.desk.close()
            event.accept()

    def _close_now(self) -> None:
        self._may_close = True
        self.close()

    # Following the open plan and the theme

    def _on_named(self) -> None:
        desk = self.desk
        name = desk.look.plan.name or (desk.document.path.name if desk.document.path else "New plan")
        self.setWindowTitle(f"{name}[*] – Ruvex")
        self.setWindowModified(desk.document.is_dirty)

    def _on_undo_changed(self) -> None:
        stack = self.desk.document.undo_stack
        for name, can, text in (
            (ActionName.UNDO, stack.canUndo(), stack.undoText()),
            (ActionName.REDO, stack.canRedo(), stack.redoText()),
        ):
            action = self.actions_by_name[name]
            action.setEnabled(can)
            action.setText(f"{name.value.text}: {text}" if text else name.value.text)

    # Views

    @property
    def view(self) -> View:
        """The view that shows."""
        view = self._stack.currentWidget()
        assert isinstance(view, View)
        return view

    def show_view(self, name: str) -> None:
        """Go to a view, and look at time as it needs it, or as it was chosen where it leaves that open."""
        spec = next(spec for spec in VIEWS if spec.name == name)
        for other, action in self.view_actions.items():
            action.setChecked(other == name)
        self._stack.setCurrentWidget(self.views[name])
        self.desk.look.set_mode(spec.mode or self._mode)
        self._show_legend()
        self.view.setFocus()

    def _show_legend(self) -> None:
        self.dials.effect.set_legend(self.view.legend)

    def _on_settled(self) -> None:
        spec = next(spec for spec in VIEWS if self.views[spec.name] is self.view)
        if spec.mode is not None:
            self.notice.tell(f"{spec.title} is always {spec.mode}. Other views can show either.")
        else:
            self._mode = "played" if self.desk.look.mode == "settled" else "settled"
            self.desk.look.set_mode(self._mode)

    def _on_theme_changed(self) -> None:
        theme = self.theme
        dress(self, theme)
        for name in LOOKS:
            self.actions_by_name[name].setChecked(name.name == f"LOOK_{theme.mode.upper()}")
        self.plan_menu.setFont(theme.font())
        self.row_menu.setFont(theme.font())
