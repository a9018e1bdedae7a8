"""What is worked out beside the window: each answer is kept with the state it is of, and given for no other."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.state.background import Background, Lane
from ruvex.plan import Plan, RuvexError

_PARTS: Final = (
    "hosts",
    "stores",
    "pools",
    "guests",
    "rules",
    "placement",
    "events",
    "aside",
    "day_s",
    "tick_s",
    "seed",
)
"""The parts of a plan that answers hang on: all but its name, its notes and its moment."""


class Of:
    """What an answer is of.

    Parameters
    ----------
    plan
        The plan: parts that were not changed are the very same objects in the next one.
    others
        What else it hangs on, by value.
    """

    def __init__(self, plan: Plan, *others: object) -> None:
        self.plan, self._others = plan, others

    def is_as(self, other: Of | None) -> bool:
        """Tell whether answers to one are right for the other."""
        if other is None or self._others != other._others:
            return False
        return all(_is_same(getattr(self.plan, part), getattr(other.plan, part)) for part in _PARTS)


def _is_same(one: Any, other: Any) -> bool:
    return one is other or (isinstance(one, int | float) and one == other)


class Answers(QObject):
    """The one holder of answers: a widget cannot get one that is of another state than it asks for.

    Signals
    -------
    changed()
        An answer is there, or all were dropped.
    """

    changed = pyqtSignal()

    def __init__(self, background: Background, lane: Lane, subject: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._background, self._lane, self._subject = background, lane, subject
        self._found: dict[str, tuple[Of, Any, str]] = {}
        self._asked: dict[str, Of] = {}

    def get(self, name: str, of: Of) -> Any:
        """Give the answer to a question about a state; None while it is not there, or where there is none."""
        found = self._found.get(name)
        return found[1] if found is not None and of.is_as(found[0]) else None

    def problem(self, name: str, of: Of) -> str:
        """Say why there is no answer to a question about a state; nothing where there is one, or it is on its way."""
        found = self._found.get(name)
        return found[2] if found is not None and of.is_as(found[0]) else ""

    def is_there(self, name: str, of: Of) -> bool:
        """Tell whether a question about a state has been answered, or found to have no answer."""
        found = self._found.get(name)
        return found is not None and of.is_as(found[0])

    def has_before(self, name: str, of: Of) -> bool:
        """Tell whether what is known of a question is of the plan before."""
        return name in self._found and not self.is_there(name, of)

    def ask(self, name: str, of: Of, work: Callable[[], Any]) -> None:
        """Ask a question about a state, unless it is known or on its way."""
        if self.is_there(name, of):
            # What was asked of another state meanwhile, before an undo, is not wanted any more.
            self._asked[name] = self._found[name][0]
            return
        if of.is_as(self._asked.get(name)):
            return
        self._asked[name] = of

        def answer(value: Any, problem: Exception | None) -> None:
            # What was asked of another state has no meaning any more, nor has what went wrong with it.
            if self._asked.get(name) is not of:
                return
            if problem is None and value is not None:
                self._found[name] = of, value, ""
                self.changed.emit()
            elif problem is not None:
                self._found[name] = of, None, str(problem) if isinstance(problem, RuvexError) else "a mistake of Ruvex"
                self.changed.emit()
                if not isinstance(problem, RuvexError):
                    raise problem

        self._background.run(f"{self._subject} {name}", work, answer, lane=self._lane)

    def drop(self) -> None:
        """Forget all of them, also those that are on their way: another plan is open."""
        for name in self._asked:
            self._background.drop(f"{self._subject} {name}")
        self._found, self._asked = {}, {}
        self.changed.emit()
