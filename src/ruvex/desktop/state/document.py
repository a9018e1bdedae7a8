"""The plan that is open: its file, its edits, what is saved."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Literal

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoStack

from ruvex.desktop.state.undo import PlanEdit
from ruvex.plan import Plan, PlanFile, Traces, move_moment, read_plan, read_traces, write_plan
from ruvex.promise import Claims, claims_of
from ruvex.site import Site, site_of

OtherTraces = Literal["ask", "replace", "keep"]


class Document(QObject):
    """One plan and its file.

    Attributes
    ----------
    plan, site
        The plan as edited so far, and the same as arrays. Nothing that is only tried is in it.
    path, file
        Where it is saved, None if it never was; and the file as it was read or saved last, with its traces and layout.
    undo_stack
        Every edit; its clean state is what is on disk.

    Signals
    -------
    closing()
        Another plan is about to be shown: what hangs on this one is to be let go.
    resting()
        The plan is about to be saved, or something else to be done: what only waits for a rest is made now.
    leaving()
        The plan is about to be another, or looked at at another time: what is being tried is given up.
    opened()
        Another plan is open.
    edited(text)
        The plan is another one; the text says what was undone or made again, and is empty for an edit just made.
    named()
        The path, the name or the dirty mark changed.
    """

    closing = pyqtSignal()
    resting = pyqtSignal()
    leaving = pyqtSignal()
    opened = pyqtSignal()
    edited = pyqtSignal(str)
    named = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.path: Path | None = None
        self.file = PlanFile(Plan())
        self.plan = self.file.plan
        self.site: Site = site_of(self.plan, {})
        self._claims: Claims | None = None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._on_clean_changed)

    @property
    def claims(self) -> Claims:
        """The promises of the plan."""
        if self._claims is None:
            self._claims = claims_of(self.site)
        return self._claims

    @property
    def is_dirty(self) -> bool:
        """Whether there are edits that are not on disk."""
        return not self.undo_stack.isClean()

    # The file

    def open(self, path: Path) -> None:
        """Read a plan file and show it.

        Raises
        ------
        PlanError, PlanFileError
            It cannot be used; what was open stays open.
        """
        self.show_file(read_plan(path), path)

    def new(self) -> None:
        """Show an empty plan."""
        self.show_file(PlanFile(Plan()), None)

    def show_file(self, file: PlanFile, path: Path | None, *, is_saved: bool = True, site: Site | None = None) -> None:
        """Show a plan that was read, as that of a path; one that is not saved there is dirty from the start.

        ``site`` is that plan as arrays, if they are at hand.
        """
        self.leaving.emit()
        self.closing.emit()
        self.file, self.path = file, path
        self._take(file.plan, site or site_of(file.plan, file.traces))
        self.undo_stack.clear()
        if not is_saved:
            self.undo_stack.resetClean()
        self.opened.emit()
        self.named.emit()

    def save(self, path: Path, *, other_traces: OtherTraces = "ask", even_read_only: bool = False) -> None:
        """Write the plan and its traces; the path becomes its own.

        ``other_traces`` and ``even_read_only`` are as ``write_plan`` has them; traces that are kept there become those
        of the plan.

        Raises
        ------
        OtherTracesError, ReadOnlyFileError
            It is to be asked first.
        PlanFileError, PlanError
            It cannot be written, or traces that are to be kept cannot be used; nothing is lost, and the plan stays
            dirty.
        """
        self.resting.emit()
        traces = read_traces(self.plan, path.parent) if other_traces == "keep" else None
        digest = write_plan(
            self.plan, path, layout=self.file.layout, traces=self.site.traces, other_traces=other_traces,
            even_read_only=even_read_only,
        )  # fmt: skip
        self.path = path
        self.take_digest(digest)
        if traces is not None:
            self.file = replace(self.file, traces={**self.site.traces, **traces})
            self._take(self.plan, site_of(self.plan, self.file.traces))
            self.edited.emit("")
        self.file = replace(self.file, plan=self.plan)
        self.undo_stack.setClean()
        self.named.emit()

    def take_digest(self, digest: str) -> None:
        """Take a content of the plan's file as the one that is known."""
        self.file = replace(self.file, digest=digest)

    def mark_unsaved(self) -> None:
        """Let the plan count as not saved: its file is gone, or holds something else."""
        self.undo_stack.resetClean()
        self.named.emit()

    # Edits

    def make(self, text: str, site: Site, *, merges: str = "") -> None:
        """Take over an edited plan, as one undo entry; entries with the same ``merges`` become one."""
        before = self.plan
        self._take(site.plan, site)
        self.undo_stack.push(PlanEdit(text, before, site.plan, self._on_undo_or_redo, merges=merges))
        self.edited.emit("")

    def know_traces(self, traces: Traces) -> None:
        """Take in further traces, so that edits can name them; what no guest names is not written."""
        if traces:
            self._take(self.plan, self.site.with_plan(self.plan, {**self.site.traces, **traces}))

    def undo(self) -> None:
        """Take back the last edit, one that only waits for a rest too."""
        self.resting.emit()
        self.undo_stack.undo()

    def redo(self) -> None:
        """Make the edit again that was taken back last."""
        self.resting.emit()
        self.undo_stack.redo()

    def before(self, edits: int) -> Plan | None:
        """Give the plan before the last so many edits, or before all where there are fewer; None without any."""
        stack = self.undo_stack
        if stack.index() == 0:
            return None
        edit = stack.command(max(stack.index() - edits, 0))
        return edit.before if isinstance(edit, PlanEdit) else None

    def move_moment(self, at_s: float) -> None:
        """Look at another time of the day. This is looking, not editing: it makes no undo entry and no dirty mark."""
        plan = move_moment(self.plan, at_s)
        claims = self._claims
        self._take(plan, self.site.with_plan(plan))
        self._claims = claims

    def _on_clean_changed(self, _clean: bool) -> None:
        self.named.emit()

    def _on_undo_or_redo(self, plan: Plan, text: str) -> None:
        """Take a plan that an undo entry gives; the moment stays where the person put it."""
        self.leaving.emit()
        plan = move_moment(plan, self.plan.moment)
        self._take(plan, self.site.with_plan(plan))
        self.edited.emit(text)

    def _take(self, plan: Plan, site: Site) -> None:
        self.plan, self.site, self._claims = plan, site, None
