"""The report, asked for from the window and written beside it."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.shell.frame import AskPath, Frame
from ruvex.plan import PlanFileError
from ruvex.report import REPORT_SUFFIXES, report_of, write_report

_FILTER = "A page that stands alone (*.html);;PDF (*.pdf)"


def ask_report_path(window: QWidget, suggestion: str) -> Path | None:
    """Let the person choose where the report goes."""
    name, chosen = QFileDialog.getSaveFileName(window, "Report", suggestion, _FILTER)
    if not name:
        return None
    path = Path(name)
    return path if path.suffix.lower() in REPORT_SUFFIXES else Path(name + (".pdf" if "pdf" in chosen else ".html"))


class Reporting(QObject):
    """Writes reports.

    Attributes
    ----------
    ask
        How a path is asked for; tests answer in the person's place.
    """

    def __init__(self, window: Frame) -> None:
        super().__init__(window)
        self._window, self._desk = window, window.desk
        self.ask: AskPath = ask_report_path

    def ask_and_write(self) -> None:
        """Ask where the report goes and write it, beside the window: a day is played and each host lost for it."""
        document = self._desk.document
        stem = document.path.stem.partition(".")[0] if document.path else "report"
        folder = document.path.parent if document.path else Path.home()
        path = self.ask(self._window, str(folder / f"{stem}-report.html"))
        if path is None:
            return
        site, told = document.site, f"The report is being made; it will be {path.name}."

        def work() -> None:
            write_report(report_of(site), path)

        def show(_none: None, problem: Exception | None) -> None:
            self._window.notice.withdraw(told)
            if isinstance(problem, PlanFileError):
                self._window.notice.tell(f"The report was not written.\n{problem}")
            elif problem is not None:
                raise problem
            else:
                self._window.notice.tell(f"{path.name} is written.", [("Open it", lambda: _open(path))])

        self._window.notice.tell(told)
        self._desk.background.run("report", work, show, lane="long")


def _open(path: Path) -> None:
    QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
