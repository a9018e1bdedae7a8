"""``ruvex bring`` and ``ruvex give``."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Final

from ruvex.divide import divide
from ruvex.exchange import OVF_SUFFIXES, Brought, drop_ins, read_groups, read_ovf, write_ovf
from ruvex.plan import (
    Plan,
    PlanFile,
    PlanFileError,
    UnitError,
    add_items,
    read_file,
    read_plan,
    replace_file,
    write_plan,
)
from ruvex.site import site_of

FORMATS: Final = ("ovf", "systemd")
_MAX_BYTES: Final = 64 * 2**20


def bring(files: Sequence[Path], into: Path | None, out: Path | None) -> int:
    """Bring files into a plan, or make a new one of them; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        A file cannot be used, or nothing says where the plan goes.
    """
    target = out or into
    if target is None:
        raise UnitError("say where the plan goes: --into a plan that is there, or --out a new one")
    file = read_plan(into) if into is not None else PlanFile(Plan())
    plan = file.plan
    for path in files:
        brought = _brought_by(path, plan)
        plan = add_items(plan, [*brought.hosts, *brought.pools, *brought.guests])
        print(f"{path.name}: {len(brought.guests)} guests and {len(brought.pools)} pools")
        if brought.left_out:
            print(f"  left out: {', '.join(brought.left_out)}")
        for text in brought.told:
            print(f"  {text}")
    write_plan(plan, target, layout=file.layout, traces=file.traces, other_traces="replace")
    print(f"{target.name} has {len(plan.guests)} guests and {len(plan.pools)} pools now")
    return 0


def _brought_by(path: Path, plan: Plan) -> Brought:
    if path.is_dir():
        return read_groups(path, plan)
    if path.suffix.lower() not in OVF_SUFFIXES:
        endings = ", ".join(OVF_SUFFIXES)
        raise UnitError(f"{path.name}: what can be brought in ends in {endings}, or is a folder of control groups")
    return read_ovf(read_file(path, _MAX_BYTES, called=path.name), path.name, plan)


def give(path: Path, form: str, out: Path) -> int:
    """Write a plan in an open format; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan cannot be used, there is no such format, or the file or folder cannot be written.
    """
    if form not in FORMATS:
        raise UnitError(f"--as {form}: there are {', '.join(FORMATS)}")
    file = read_plan(path)
    if form == "systemd":
        files = drop_ins(divide(site_of(file.plan, file.traces)))
        if not files:
            raise UnitError("the plan has no host, and so nothing that a host would set")
        _write_folder(out, files)
        print(f"{out.name}: {len(files)} files; README.txt in each folder says how they are used")
        return 0
    replace_file(out, write_ovf(file.plan))
    print(f"{out.name}: {len(file.plan.guests)} guests and {len(file.plan.pools)} pools")
    return 0


def _write_folder(out: Path, files: Mapping[str, str]) -> None:
    """Write files by their paths into a new folder; nobody sees half of it."""
    try:
        half = Path(tempfile.mkdtemp(prefix=f".{out.name}-", dir=out.parent))
        try:
            for name, text in files.items():
                (half / name).parent.mkdir(parents=True, exist_ok=True)
                (half / name).write_text(text, encoding="utf-8")
            half.chmod(0o755)
            # An empty folder gives way, one with something in it does not.
            half.rename(out)
        except BaseException:
            shutil.rmtree(half, ignore_errors=True)
            raise
    except OSError as error:
        why = "there is something in it already" if out.is_dir() else error.strerror
        raise PlanFileError(f"{out} cannot be written: {why}; name a new folder") from None
