"""The turns that are looked at: of which host, as things stand, and as they stood before what is being tried."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.cores import (
    Answer,
    NoCoresError,
    RoomForMore,
    TurnTrace,
    answer_of,
    changed,
    crowd_of,
    part_limit,
    trace,
    vcpu_change,
    vcpu_choices,
)
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.selection import Selection
from ruvex.divide import Division
from ruvex.plan import Changes, EditError, Guest, Host

LENGTHS_S: Final = (0.5, 2.0, 8.0, 30.0)
"""How long a window may be, to choose from."""
_MOST_ASKED_S: Final = 2.0
"""Answers are medians of several windows; longer ones would take too long."""
CROWD_MS: Final = 35.0
USUAL_PART: Final = 0.6
"""The 95th percentile of waits that is asked about until somebody sets another one."""


@dataclass(frozen=True, slots=True, eq=False)
class _Base:
    """What answers are of; with another one they are asked for anew."""

    division: Division
    host: str
    guest: str | None
    for_s: float
    seed: int

    def is_as(self, other: _Base | None) -> bool:
        """Tell whether the same answers are right."""
        return (
            other is not None
            and self.division is other.division
            and (self.host, self.guest, self.for_s, self.seed) == (other.host, other.guest, other.for_s, other.seed)
        )


class Tracing(QObject):
    """Runs windows beside the desktop's window, and answers what another choice would make of them.

    Attributes
    ----------
    host
        The id of the host that is looked at, None without any.
    for_s, seed
        How long the window is, s, and from which chances.
    now, before
        The turns as shown, and while something is tried, those without it, from the same chances.
    problem
        Why there are none, in words, or nothing.
    answers
        By what was asked: ``now``, ``tried``, a number of vCPUs, or ``limited`` for a limit at ``part`` of them; None
        where that cannot be. What is missing is not known yet.
    part
        Of all its vCPUs at full speed, what ``limited`` leaves the guest.
    crowd, crowd_ms
        How many more like the guest the host bears until the 95th percentile of waits passes so many ms.

    Signals
    -------
    changed()
        Other turns are there, or none.
    answered()
        An answer has come, or all are asked for anew.
    """

    changed = pyqtSignal()
    answered = pyqtSignal()

    def __init__(self, look: Look, selection: Selection, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._look, self._selection, self._background = look, selection, background
        self._is_wanted = self._is_over = self._is_asking = self._is_running = False
        self.host: str | None = None
        self.for_s, self.seed, self.crowd_ms = LENGTHS_S[1], 1, CROWD_MS
        self.part = USUAL_PART
        self.now: TurnTrace | None = None
        self.before: TurnTrace | None = None
        self.problem = ""
        self._shown: tuple[Division, Division | None] | None = None
        self._shown_host: str | None = None
        self.answers: dict[str | int, Answer | None] = {}
        self.crowd: RoomForMore | None = None
        self._base: _Base | None = None
        self._tried: Division | None = None
        look.changed.connect(self._on_changed)
        selection.changed.connect(self._on_selected)

    # What is looked at

    @property
    def machine(self) -> Host | None:
        """The host that is looked at."""
        plan = self._look.plan
        return plan.hosts[plan.host_index[self.host]] if self.host in plan.host_index else None

    @property
    def guest(self) -> Guest | None:
        """The selected guest, if it is on at this host."""
        item, division = self._selection.item, self._look.division
        if not isinstance(item, Guest) or item.id not in division.position:
            return None
        row = division.position[item.id]
        return item if division.on[row] and division.host_of(row) == self.host else None

    @property
    def division(self) -> Division | None:
        """What ``now`` is of."""
        return None if self._shown is None else self._shown[0]

    @property
    def division_before(self) -> Division | None:
        """What ``before`` is of."""
        return None if self._shown is None else self._shown[1]

    @property
    def is_busy(self) -> bool:
        """Whether turns or answers are on their way."""
        return self._is_running or self._is_asking

    def want(self, *, wanted: bool) -> None:
        """Begin or cease to follow what is shown: somebody looks at it, or nobody does."""
        self._is_wanted = wanted
        if wanted:
            self._choose()
            self._on_changed()

    def choose_host(self, host: str) -> None:
        """Look at another host."""
        if host != self.host:
            self.host = host
            self._run()

    def choose_length(self, for_s: float) -> None:
        """Look at a longer window, or a shorter one."""
        if for_s != self.for_s:
            self.for_s = for_s
            self._run()

    def draw_again(self) -> None:
        """Look at a window with other chances."""
        self.seed += 1
        self._run()

    def ask_crowd(self, p95_ms: float) -> None:
        """Ask how many more like the guest fit until waits pass another value."""
        if p95_ms != self.crowd_ms:
            self.crowd_ms, self.crowd = p95_ms, None
            self.answered.emit()
            self._ask_next()

    def ask_part(self, part: float) -> None:
        """Ask what a limit at another part of all vCPUs comes to."""
        if part != self.part:
            self.part = part
            self.answers.pop("limited", None)
            self.answered.emit()
            self._ask_next()

    def forget(self) -> None:
        """Let go of all that is of the plan that closes."""
        self._background.drop("turns")
        self._background.drop("questions")
        self.host, self._is_running, self._is_asking = None, False, False
        self._take(None, "")

    def end(self) -> None:
        """Ask no more: the window closes."""
        self._is_over = True

    # Following

    def _choose(self) -> None:
        """Look at the host of what is selected; without any at the one of which most is wanted."""
        division, plan, item = self._look.division, self._look.plan, self._selection.item
        if isinstance(item, Guest) and item.id in division.position:
            there = division.host_of(division.position[item.id])
            if there is not None:
                self.host = there
        elif self._selection.host is not None:
            self.host = self._selection.host.id
        if self.host not in plan.host_index:
            wanted = self._look.figures.wanted("cpu").by_host
            self.host = plan.hosts[int(wanted.argmax())].id if plan.hosts else None

    def _on_selected(self) -> None:
        if self._is_wanted:
            was = self.host
            self._choose()
            if self.host != was:
                self._run()
            else:
                self._ask()

    def _on_changed(self) -> None:
        if not self._is_wanted:
            return
        if self.host not in self._look.plan.host_index:
            self._choose()
        self._run()

    def _run(self) -> None:
        look, host, for_s, seed = self._look, self.host, self.for_s, self.seed
        if not self._is_wanted:
            return
        if host is None:
            self._take(None, "")
            return
        division, before, self._is_running = look.division, look.before, True

        def work() -> tuple[TurnTrace, TurnTrace | None]:
            return (
                trace(division, host, for_s=for_s, seed=seed),
                None if before is None else trace(before, host, for_s=for_s, seed=seed),
            )

        def answer(found: tuple[TurnTrace, TurnTrace | None] | None, problem: Exception | None) -> None:
            if division is not self._look.division or host != self.host:
                return  # of another moment, plan or host: the turns of this one are on their way
            self._is_running = False
            if problem is not None and not isinstance(problem, NoCoresError):
                raise problem
            if found is None:
                self._take(None, str(problem))
            else:
                self._shown, self._shown_host = (division, before), host
                self._take(found, "")

        self._background.run("turns", work, answer, lane="turns")

    def _take(self, found: tuple[TurnTrace, TurnTrace | None] | None, problem: str) -> None:
        self.now, self.before = (None, None) if found is None else found
        if found is None:
            self._shown = None
        self.problem = problem
        self.changed.emit()
        self._ask()

    # Questions

    def _ask(self) -> None:
        """Ask what there is to be known of what is shown; answers that are still right stay."""
        if self._shown is None or self.host is None or self._shown_host != self.host:
            self._base, self._tried, self.answers, self.crowd = None, None, {}, None
            self.answered.emit()
            return
        division, before = self._shown
        guest, was = self.guest, before or division
        # A guest that was added since is asked for once there are turns in which it takes part.
        name = guest.id if guest is not None and guest.id in was.site.plan.guest_index else None
        base = _Base(was, self.host, name, self.for_s, self.seed)
        tried = division if before is not None else None
        if not base.is_as(self._base):
            self.answers, self.crowd = {}, None
        elif tried is not self._tried:
            self.answers.pop("tried", None)
        self._base, self._tried = base, tried
        self.answered.emit()
        self._ask_next()

    def _next(self) -> tuple[str | int, Callable[[], Any]] | None:
        """Give the next question: of what is tried first, then of what could be."""
        base, tried = self._base, self._tried
        if base is None or not self._is_wanted or self._is_over:
            return None
        host, name, for_s, seed = base.host, base.guest, min(base.for_s, _MOST_ASKED_S), base.seed

        def asked(division: Division) -> Callable[[], Answer]:
            return lambda: answer_of(division, host, name, for_s=for_s, seed=seed)

        if "now" not in self.answers:
            return "now", asked(base.division)
        if tried is not None and "tried" not in self.answers:
            return "tried", asked(tried)
        if name is None or tried is not None:
            return None
        plan = base.division.site.plan
        item, machine = plan.guests[plan.guest_index[name]], plan.hosts[plan.host_index[host]]

        def of(changes: Changes) -> Callable[[], Answer]:
            return lambda: asked(changed(base.division, changes))()

        for vcpus in vcpu_choices(item):
            if vcpus not in self.answers:
                if vcpus == item.vcpus:
                    self.answers[vcpus] = self.answers["now"]
                    continue
                return vcpus, of([(name, vcpu_change(item, machine, vcpus))])
        if "limited" not in self.answers:
            return "limited", of([(name, part_limit(item, machine, self.part))])
        if self.crowd is None:
            limit = self.crowd_ms
            goes_on = lambda: self._base is base and self.crowd_ms == limit and not self._is_over  # noqa: E731
            return "crowd", lambda: crowd_of(base.division, host, name, limit, seed=base.seed, goes_on=goes_on)
        return None

    def _ask_next(self) -> None:
        question = None if self._is_asking else self._next()
        if question is None:
            return
        key, work = question
        base, tried, limit, self._is_asking = self._base, self._tried, self.crowd_ms, True
        part = self.part

        def answer(found: Any, problem: Exception | None) -> None:
            self._is_asking = False
            if base is not self._base and not (base is not None and base.is_as(self._base)):
                self._ask_next()
                return
            if problem is not None and not isinstance(problem, NoCoresError | EditError):
                raise problem
            is_right = base is not None and base.is_as(self._base) and (key != "tried" or tried is self._tried)
            is_right = is_right and (key != "limited" or part == self.part)
            if is_right and problem is not None:
                # What cannot be asked has no answer, and is not asked again.
                if key == "crowd":
                    self.crowd = RoomForMore(None, False, ())
                else:
                    self.answers[key] = None
            elif is_right and isinstance(found, RoomForMore):
                self.crowd = found if limit == self.crowd_ms else None
            elif is_right and found is not None:
                self.answers[key] = found
            if is_right:
                self.answered.emit()
            self._ask_next()

        self._background.run("questions", work, answer, lane="questions")
