"""What is seen until the window can compute: a line that says what is awaited."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QLabel, QProgressBar, QVBoxLayout, QWidget

from ruvex.cores import prepare
from ruvex.desktop.kit.style import dress, set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.shell.reading import Read, Reading
from ruvex.desktop.state.background import Background
from ruvex.engine import is_cache_filled
from ruvex.plan import PlanError, PlanFileError

_LOADING: Final = "Getting ready"
_COMPILING: Final = "Compiling the model for this machine.\nThis takes about a minute, once after each update."


class Opening(QWidget):
    """A window with nothing but a heading, a line and a bar, while another thread makes everything ready.

    Attributes
    ----------
    line
        What is awaited, in words.
    read, problem
        The plan that was named, read meanwhile if that was wished; or why it cannot be used.
    ready
        Emitted once everything can compute.
    """

    ready = pyqtSignal()

    def __init__(self, theme: Theme, plan: Path | None, *, to_read: bool = True) -> None:
        super().__init__()
        heading = "Ruvex" if plan is None else plan.name
        self._background = Background(self)
        self._plan, self._reading = plan if to_read else None, Reading(self._background, self)
        self.read: Read | None = None
        self.problem: PlanError | PlanFileError | None = None
        self._awaited = 1 if self._plan is None else 2
        self.setWindowTitle(f"{heading} – Ruvex" if heading != "Ruvex" else heading)
        name = QLabel(heading, self)
        self.line = QLabel(_LOADING if is_cache_filled() else _COMPILING, self)
        bar = self._bar = QProgressBar(self)
        bar.setRange(0, 0)
        bar.setTextVisible(False)
        bar.setFixedSize(260, 5)
        column = QVBoxLayout(self)
        column.setSpacing(14)
        column.addStretch(2)
        for widget in (name, self.line, bar):
            column.addWidget(widget, 0, Qt.AlignmentFlag.AlignHCenter)
        column.addStretch(3)
        dress(self, theme)
        colours = theme.colours
        name.setFont(theme.font(18, bold=True))
        self.line.setFont(theme.font())
        self.line.setAlignment(Qt.AlignmentFlag.AlignCenter)
        set_role(self.line, "muted")
        palette = self.palette()
        palette.setColor(self.backgroundRole(), colours.paper)
        self.setPalette(palette)
        self.setAutoFillBackground(True)
        self._is_over = False

    def begin(self) -> None:
        """Begin to make ready; ``ready`` follows unless the window was closed meanwhile."""
        self._background.run("prepare", prepare, self._on_prepared)
        if self._plan is not None:
            self._reading.begin(self._plan, self._on_read)

    def _on_prepared(self, _value: None, problem: Exception | None) -> None:
        if problem is not None:
            raise problem
        if self._reading.is_running:
            self._reading.told.connect(self.line.setText)
        self._come_nearer()

    def _on_read(self, read: Read | None, problem: Exception | None) -> None:
        self.read = read
        if isinstance(problem, PlanError | PlanFileError):
            self.problem = problem
        elif problem is not None:
            raise problem
        self._come_nearer()

    def _come_nearer(self) -> None:
        self._awaited -= 1
        if self._awaited == 0 and not self._is_over:
            self.ready.emit()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close; what is being compiled is finished, and kept, before the program ends."""
        self._is_over = True
        self._reading.stop()
        # A bar without an end moves by a timer of its own, which must not outlive it.
        self._bar.setRange(0, 1)
        self._bar.repaint()
        super().closeEvent(event)
