"""``ruvex hand-over`` and ``ruvex take-back``."""

from __future__ import annotations

from pathlib import Path
from typing import get_args

from ruvex.exchange import Way, hand_over, take_back
from ruvex.plan import PERMISSION_WORDS, Permission, PlanFileError, UnitError, find_item, read_plan, write_plan
from ruvex.promise import claims_of, refusal_between
from ruvex.site import site_of
from ruvex.words import counted, refusal_text


def print_hand_over(path: Path, pool: str, out: Path, may: str | None) -> int:
    """Write a pool as a plan of its own, and what was handed over into the plan it is from; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        The plan, the pool or the permissions cannot be used, or a file cannot be written.
    """
    file = read_plan(path)
    if out.exists() and out.samefile(path):
        raise PlanFileError(f"{out}: the pool goes to a file of its own")
    chosen = None if may is None else _permissions(may)
    child, parent = hand_over(site_of(file.plan, file.traces), pool, chosen)
    assert child.handed is not None
    write_plan(child, out, traces=file.traces)
    write_plan(parent, path, layout=file.layout, traces=file.traces)
    allowed = " and ".join(PERMISSION_WORDS[one] for one in child.handed.may) or "only look"
    print(f"{out.name} is {child.name}, with {counted(len(child.guests), 'guest')}; its owner may {allowed}.")
    return 0


def _permissions(text: str) -> tuple[Permission, ...]:
    words = [word.strip() for word in text.split(",") if word.strip()]
    for word in words:
        if word not in get_args(Permission):
            raise UnitError(f"{word!r}: there are {', '.join(get_args(Permission))}")
    return tuple(words)  # type: ignore[arg-type]


def print_take_back(path: Path, back: Path, out: Path | None, keep: str | None) -> int:
    """Take a plan back that was handed over; gives 1 where both sides changed the same, or promises refuse it.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        A file cannot be used or written, or it is not from this plan.
    """
    if keep not in (None, *get_args(Way)):
        raise UnitError(f"--keep {keep}: it is here or there")
    file, other = read_plan(path), read_plan(back)
    taken = take_back(file.plan, file.traces, other.plan, other.traces, {})
    conflicts = taken.conflicts
    if conflicts and keep is not None:
        choose = {(conflict.item, conflict.setting): keep for conflict in conflicts}
        taken = take_back(file.plan, file.traces, other.plan, other.traces, choose)  # type: ignore[arg-type]
    for conflict in conflicts:
        print(f"Changed on both sides: {conflict.text}")
    if taken.conflicts:
        print("Nothing was taken back; say which side counts: --keep here or --keep there")
        return 1
    traces = {**file.traces, **taken.traces}
    before, after = site_of(file.plan, file.traces), site_of(taken.plan, traces)
    refusal = refusal_between(claims_of(before), claims_of(after, booting=taken.started), taken.changed)
    if refusal is not None:
        print(f"Nothing was taken back: {refusal_text(taken.plan, refusal)}.")
        return 1
    write_plan(taken.plan, out or path, layout=file.layout, traces=traces, other_traces="replace")
    for text in taken.told or ("nothing was changed there",):
        print(text)
    label = getattr(find_item(taken.plan, other.plan.handed.pool), "label", "") if other.plan.handed else ""
    print(f"{label} is taken back into {(out or path).name}")
    return 0
