"""A plan that laws are tried on."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from ruvex.divide import Division, divide
from ruvex.plan import Plan, Traces, plan_text
from ruvex.play import Player
from ruvex.site import Site, site_of
from tests.laws.whole import CONTENTS, TRACE_FILE, traces_of


@dataclass(frozen=True)
class Case:
    """A plan that laws are tried on, and a seed for what a law chooses itself."""

    plan: Plan
    seed: int = 0

    @cached_property
    def traces(self) -> Traces:
        """The traces it names."""
        return traces_of(self.plan)

    @cached_property
    def site(self) -> Site:
        """The plan as arrays."""
        return site_of(self.plan, self.traces)

    @cached_property
    def division(self) -> Division:
        """How it would settle at its moment."""
        return divide(self.site)

    @cached_property
    def day(self) -> Player:
        """Its day, played."""
        player = Player(self.site)
        player.run()
        return player

    @contextmanager
    def written(self) -> Iterator[Path]:
        """Give the path of the plan as a file, its traces beside it, for as long as it is asked something."""
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / TRACE_FILE).parent.mkdir()
            (Path(folder) / TRACE_FILE).write_bytes(CONTENTS[TRACE_FILE])
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(self.plan), encoding="utf-8")
            yield path


Law = Callable[[Case], Iterator[str]]
