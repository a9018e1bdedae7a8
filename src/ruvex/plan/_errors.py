"""The errors a plan can raise; apart from the rest so that every module may import them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final


class RuvexError(Exception):
    """Base of every error Ruvex raises on purpose; its text is meant for the person at the screen."""


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong in a plan.

    Attributes
    ----------
    path
        Where in the document, such as ``guests[3].cpu.limit``; empty for the document as a whole.
    what
        What is wrong, with the value that was found.
    mend
        What would be right.
    item
        The id of the host, pool or guest concerned, where people would count to find it.
    """

    path: str
    what: str
    mend: str
    item: str = ""

    def __str__(self) -> str:
        """Give the problem as one line: place, fault, remedy."""
        place = f"{self.path} ({self.item})" if self.item else self.path
        return f"{place}: {self.what}; {self.mend}" if place else f"{self.what}; {self.mend}"


_MORE: Final = "these are the first"
MOST_FAULTS: Final = 100
"""So many faults are told at once; who mends them sees the next."""


def first_of(problems: Sequence[Problem]) -> tuple[Problem, ...]:
    """Give the problems that are told, with one that says so where there are more."""
    if len(problems) <= MOST_FAULTS or problems[-1].what.startswith(_MORE):
        return tuple(problems)
    return (
        *problems[:MOST_FAULTS],
        Problem("", f"{_MORE} {MOST_FAULTS} faults, and there are more", "mend these first"),
    )


class PlanError(RuvexError, ValueError):
    """A plan breaks rules of its format or of the model; ``problems`` lists what was found, up to a hundred faults."""

    def __init__(self, problems: Sequence[Problem], source: str = "") -> None:
        self.problems = first_of(problems)
        self.source = source
        head = f"{source}: " if source else ""
        super().__init__("\n".join(head + str(problem) for problem in self.problems))


class PlanFileError(RuvexError, OSError):
    """A plan or trace file cannot be read or written at all (missing, no permission, not text, too large)."""


class ReadOnlyFileError(PlanFileError):
    """A file that would be replaced is read-only; whoever may can say that it is to be replaced all the same."""


class OtherTracesError(PlanFileError):
    """In the folder where a plan is to be saved there are other files of the names of its traces.

    Attributes
    ----------
    names, folder
        Which, and where.
    """

    def __init__(self, names: Sequence[str], folder: object) -> None:
        self.names, self.folder = tuple(names), folder
        listed = ", ".join(self.names[:5]) + (" and more" if len(self.names) > 5 else "")
        are = "is another one" if len(self.names) == 1 else "are others"
        super().__init__(f"{listed} in {folder} {are} than the plan was read with")


class OurFaultError(RuvexError):
    """Something that Ruvex itself got wrong, found by a check of its own before it could do harm."""


class WrittenWrongError(OurFaultError, PlanFileError):
    """What was written does not read as what is in memory; the old file stays."""


class StoppedError(RuvexError):
    """Somebody who waited for long work wants it no more."""


class EditError(RuvexError, ValueError):
    """A change cannot be made to the plan: no such thing, no such setting, or a value that breaks a rule."""


class MissingTraceError(EditError):
    """A demand follows a trace that was not read with the plan."""

    def __init__(self, name: str, column: str = "") -> None:
        what = f"the column {column!r} of the trace {name!r}" if column else f"the trace {name!r}"
        super().__init__(f"{what} was not read with this plan; name it in the plan's file, with the trace beside it")


class UnitError(RuvexError, ValueError):
    """A typed quantity or time cannot be understood."""
