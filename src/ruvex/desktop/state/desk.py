"""What one window works on, put together."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.looking import Looking
from ruvex.desktop.state.many import Many
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.desktop.state.rooms import Rooms
from ruvex.desktop.state.selection import Selection
from ruvex.desktop.state.tracing import Tracing
from ruvex.desktop.state.trial import Trial
from ruvex.desktop.state.units import Units
from ruvex.desktop.state.waits import WaitsOfDays
from ruvex.desktop.state.yardstick import Yardstick


class Desk(QObject):
    """The parts of a window's state; each has its subject, and this only holds them.

    Attributes
    ----------
    background
        Where long work runs.
    document
        The plan, its file and its edits.
    playing
        The plan over time.
    rehearsal
        The day as the plan has it, and as what is being tried would have it.
    look
        What is shown: settings, demand, time, division.
    selection
        Which rows are selected.
    trial
        The step that is being tried.
    looking
        What is worth a look in the plan.
    rooms
        How many more fit, what a loss comes to, better places, right sizes.
    many
        Sweeps and random days.
    yardstick
        What the plan is compared with.
    tracing
        The turns of vCPUs on the threads of a host.
    waits
        What guests wait by chance over the days that were played.
    units
        In which units figures are read and typed.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.background = Background(self)
        self.document = Document(self)
        self.playing = Playing(self.document, self.background, self)
        self.rehearsal = Rehearsal(self.document, self.background, self)
        self.look = Look(self.document, self.playing, self.rehearsal, self.background, self)
        self.selection = Selection(self.document, self.look, self)
        self.trial = Trial(self.document, self.look, self.playing, self.rehearsal, self)
        self.looking = Looking(self.document, self.look, self.rehearsal, self.background, self)
        self.rooms = Rooms(self.document, self.look, self.selection, self.rehearsal, self.background, self)
        self.many = Many(self.document, self.background, self)
        self.yardstick = Yardstick(self.document, self.look, self.rehearsal, self.background, self)
        self.tracing = Tracing(self.look, self.selection, self.background, self)
        self.waits = WaitsOfDays(self.background, self)
        self.document.closing.connect(self.waits.forget)
        self.document.closing.connect(self.tracing.forget)
        self.units = Units(self.look, self)

    def keep_collections_short(self) -> None:
        """Leave what has come to stay, modules and the plan, out of garbage collections.

        With all that Numba, pydantic and a window bring along a whole collection takes 90 ms, and it would begin while
        a handle moves. What is left out is not looked at again, so this is for a program that ends with its window.
        """
        self._leave_out()
        self.document.opened.connect(self._leave_out)

    def _leave_out(self) -> None:
        # What the plan before has left behind would be left out as well, and never let go of.
        gc.unfreeze()
        gc.collect()
        gc.freeze()

    def close(self) -> None:
        """End all work beside the window, before the window and what it shows are taken apart."""
        self.rehearsal.end()
        self.tracing.end()
        self.many.end()
        self.background.wait()
