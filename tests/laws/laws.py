"""The laws, each a function that gives what a plan breaks of it in sentences; nothing where it holds."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterator, Mapping
from typing import Any, Final

import numpy as np

from ruvex.plan import MissingTraceError, check_plan
from ruvex.site import site_of
from tests.laws.advice import complete, offered, one_size, placed, silent, swept
from tests.laws.alike import alike
from tests.laws.case import Case, Law
from tests.laws.edits import Edits
from tests.laws.figures import copied, monotone, possible
from tests.laws.offers import helped, split
from tests.laws.questions import answered, fits, lost, read_back, rest

_EDITS: Final = 12


def fresh(case: Case) -> Iterator[str]:
    """A site that was changed by edits is the site made anew, bit for bit, and every edit leaves a valid plan."""
    plan, site, edits = case.plan, case.site, Edits(case.seed)
    for step in range(_EDITS):
        edited = edits.of(plan)
        if edited is plan:
            continue
        problems = check_plan(edited)
        if problems:
            yield f"edit {step} is accepted, and leaves {problems[0]}"
            return
        try:
            made = site_of(edited, case.traces)
        except MissingTraceError:
            continue
        changed = site.with_plan(edited, case.traces)
        differing = [path for path in _differing(changed, made) if not path.startswith(".plan")]
        if differing:
            yield f"edit {step}: {', '.join(differing[:6])} of the changed site differ from the one made anew"
        plan, site = edited, changed


def _differing(one: Any, other: Any, path: str = "") -> Iterator[str]:
    """Name where two values differ, down to the bits of arrays."""
    if isinstance(one, np.ndarray):
        if one.dtype != other.dtype or one.shape != other.shape or one.tobytes() != other.tobytes():
            yield path
    elif dataclasses.is_dataclass(one):
        for field in dataclasses.fields(one):
            yield from _differing(getattr(one, field.name), getattr(other, field.name), f"{path}.{field.name}")
    elif isinstance(one, tuple | list) and len(one) == len(other):
        for number, (a, b) in enumerate(zip(one, other, strict=True)):
            yield from _differing(a, b, f"{path}[{number}]")
    elif one != other:
        yield path


LAWS: Final[Mapping[str, Law]] = {
    "fresh": fresh, "possible": possible, "copied": copied, "monotone": monotone, "complete": complete, "swept": swept,
    "offered": offered, "one size": one_size, "answered": answered, "fits": fits, "lost": lost, "rest": rest,
    "read back": read_back, "silent": silent, "placed": placed, "helped": helped, "split": split,
    "alike": alike,
}  # fmt: skip
