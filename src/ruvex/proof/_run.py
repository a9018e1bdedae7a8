"""Running a proof: groups with the plan's weights and limits, burners that want what the guests want, some seconds."""

from __future__ import annotations

import contextlib
import math
import os
import statistics
import subprocess
import sys
import time
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Final

from ruvex.plan import Tell, UnitError, untold
from ruvex.proof._groups import Groups, NoGroupsError, clear_left_groups
from ruvex.proof._scaled import Party, Scaled

_BURNER: Final = Path(__file__).with_name("_burner.py")
_MOST_PROCESSES: Final = 400
_MOST_SECONDS: Final = 30.0
_MOST_RUNS: Final = 10
_WARM_UP_S: Final = 0.7
_STEP_S: Final = 0.1
QUIET: Final = 0.93
"""With less of what was expected for all together, others were at work on the processors."""


@dataclass(frozen=True, slots=True)
class ProofRow:
    """A guest or pool: what Ruvex delivers and what the kernel did, run by run, all in processors of this machine."""

    party: Party
    measured: tuple[float, ...]

    @property
    def mean(self) -> float:
        """The mean over the runs."""
        return statistics.fmean(self.measured)

    @property
    def noise(self) -> float:
        """How far the runs differ: highest less lowest."""
        return max(self.measured) - min(self.measured)


@dataclass(frozen=True, slots=True)
class Proof:
    """What was seen.

    Attributes
    ----------
    scaled, rows
        What was to be proved, and a row for each party of it.
    seconds, runs
        How long each run was, and how many there were.
    told
        What is otherwise than in the plan, and what disturbed it, a sentence each.
    """

    scaled: Scaled
    rows: tuple[ProofRow, ...]
    seconds: float
    runs: int
    told: tuple[str, ...]

    @property
    def farthest(self) -> ProofRow:
        """The guest whose figures are farthest apart."""
        return max((row for row in self.rows if not row.party.is_pool), key=lambda r: abs(r.mean - r.party.expected))

    @property
    def is_quiet(self) -> bool:
        """Whether the processors were there for the proof."""
        return self.part_had >= QUIET

    @property
    def part_had(self) -> float:
        """What all guests together had, against what they were expected to have."""
        guests = [row for row in self.rows if not row.party.is_pool]
        return sum(row.mean for row in guests) / sum(row.party.expected for row in guests)


def processors_here() -> int:
    """Give how many processors this process may use."""
    return len(os.sched_getaffinity(0))


def prove(scaled: Scaled, *, seconds: float = 4.0, runs: int = 3, tell: Tell = untold) -> Proof:
    """Run what was scaled to this machine on the kernel's own groups.

    Parameters
    ----------
    scaled
        As ``scaled_to`` gives it for at most as many processors as this process may use.
    seconds, runs
        How long each run is (at most 30) and how many there are (at most 10).
    tell
        Told how far it is; may raise ``StoppedError``.

    Raises
    ------
    NoGroupsError
        No groups can be made here; the text says what would mend it.
    UnitError
        It is too long or too large.
    StoppedError
        ``tell`` raised it; nothing is left behind.
    """
    if not (0.5 <= seconds <= _MOST_SECONDS and 1 <= runs <= _MOST_RUNS):
        raise UnitError(f"a proof has 1 to {_MOST_RUNS} runs of half a second to {_MOST_SECONDS:g} seconds")
    processors = sorted(os.sched_getaffinity(0))
    if scaled.processors > len(processors):
        raise UnitError(f"this process may use {len(processors)} processors, not {scaled.processors}")
    counts = {party.item: max(1, math.ceil(party.wants)) for party in scaled.parties if not party.is_pool}
    if sum(counts.values()) > _MOST_PROCESSES:
        raise UnitError(f"{sum(counts.values())} processes are too many; choose a pool of the plan")
    clear_left_groups()
    told = list(scaled.told)
    measured: dict[str, list[float]] = {party.item: [] for party in scaled.parties}
    with contextlib.ExitStack() as stack:
        groups = Groups()
        stack.callback(groups.close)
        paths = _paths(scaled.parties)
        told += _make(groups, scaled.parties, paths)
        burners = _start(stack, groups, scaled, paths, counts, processors[-scaled.processors :])
        _wait(_WARM_UP_S, tell, 0.0, 0.02)
        for run in range(runs):
            before, begun = _ran(burners), time.monotonic()
            _wait(seconds, tell, run / runs, 1.0 / runs)
            after, passed = _ran(burners), time.monotonic() - begun
            for party in scaled.parties:
                mine = [item for item in counts if _is_in(item, party.item, scaled.parties)]
                measured[party.item].append(sum(after[item] - before[item] for item in mine) / passed)
    rows = tuple(ProofRow(party, tuple(measured[party.item])) for party in scaled.parties)
    proof = Proof(scaled, rows, seconds, runs, tuple(told))
    if not proof.is_quiet:
        told.append(
            f"All together had {proof.part_had:.0%} of what was expected: something else was at work. Do it again when"
            " this machine is quiet."
        )
    return Proof(scaled, rows, seconds, runs, tuple(told))


def _paths(parties: Iterable[Party]) -> dict[str, str]:
    """Give each party's path among the groups; ids are short words that the file system takes."""
    paths: dict[str, str] = {}
    for party in parties:
        above = "" if party.parent is None else paths[party.parent] + "/"
        paths[party.item] = f"{above}{'pool' if party.is_pool else 'guest'}-{party.item}"
    return paths


def _make(groups: Groups, parties: Sequence[Party], paths: Mapping[str, str]) -> list[str]:
    told: list[str] = []
    weights: dict[str, float] = {}
    for parent in dict.fromkeys(party.parent for party in parties):
        peers = {party.item: party.weight for party in parties if party.parent == parent}
        found, is_cut = groups.weights(peers)
        weights |= found
        if is_cut:
            told.append(
                "Some weights are farther apart than the kernel's bounds; the lightest weigh more than they should."
            )
    try:
        for party in parties:
            groups.add(paths[party.item], weights[party.item], party.limit, has_groups=party.is_pool)
    except OSError as error:
        raise NoGroupsError(f"a group with a weight cannot be made: {error.strerror}") from None
    return list(dict.fromkeys(told))


def _start(
    stack: contextlib.ExitStack,
    groups: Groups,
    scaled: Scaled,
    paths: Mapping[str, str],
    counts: Mapping[str, int],
    processors: Sequence[int],
) -> dict[str, list[int]]:
    """Start everybody in its group, waiting at one gate, then open that."""
    gate, opener = os.pipe()
    burners: dict[str, list[int]] = {}
    stack.callback(os.close, gate)
    try:
        for party in scaled.parties:
            for _ in range(counts.get(party.item, 0)):
                part = str(party.wants / counts[party.item])
                command = [sys.executable, "-E", "-S", str(_BURNER), part, str(os.getpid())]
                burner = subprocess.Popen(command, stdin=gate, stdout=subprocess.DEVNULL)
                stack.callback(_end, burner)
                os.sched_setaffinity(burner.pid, processors)
                groups.put(paths[party.item], burner.pid)
                burners.setdefault(party.item, []).append(burner.pid)
    except OSError as error:
        raise NoGroupsError(f"a process cannot be started in a group: {error.strerror}") from None
    finally:
        os.close(opener)
    return burners


def _end(burner: subprocess.Popen[bytes]) -> None:
    burner.kill()
    burner.wait()


def _wait(seconds: float, tell: Tell, begun: float, part: float) -> None:
    end = time.monotonic() + seconds
    while (left := end - time.monotonic()) > 0:
        tell("the kernel", begun + part * (1.0 - left / seconds))
        time.sleep(min(_STEP_S, left))


def _ran(burners: Mapping[str, Sequence[int]]) -> dict[str, float]:
    """Give what each guest's processes ran so far, s."""
    found = {}
    for item, pids in burners.items():
        texts = (Path(f"/proc/{pid}/schedstat").read_text(encoding="ascii") for pid in pids)
        found[item] = sum(int(text.split()[0]) for text in texts) / 1e9
    return found


def _is_in(item: str, above: str, parties: Sequence[Party]) -> bool:
    parents = {party.item: party.parent for party in parties}
    at: str | None = item
    while at is not None and at != above:
        at = parents[at]
    return at == above
