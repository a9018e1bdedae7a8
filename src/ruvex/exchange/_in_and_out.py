"""Whatever can be brought into a plan, by its path, and whatever it can be given out as."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Mapping
from pathlib import Path
from typing import Final

from ruvex.divide import divide
from ruvex.exchange._brought import Brought, with_brought
from ruvex.exchange._traces_in import with_traces
from ruvex.exchange.groups import drop_ins, read_groups
from ruvex.exchange.ovf import SUFFIXES as OVF_SUFFIXES
from ruvex.exchange.ovf import read_ovf, write_ovf
from ruvex.exchange.tables import TABLE_KINDS, Kind, read_table, table_of
from ruvex.plan import Plan, PlanFileError, Traces, UnitError, read_file, replace_file, trace_files
from ruvex.site import Site
from ruvex.words import counted

GROUPS: Final = Path("/sys/fs/cgroup")
"""Where Linux has the control groups of the running machine."""
TABLE_SUFFIXES: Final = (".csv", ".tsv", ".txt")
FORMATS: Final = ("ovf", "csv", "systemd")
_IN_ORDER: Final[tuple[Kind, ...]] = ("stores", "hosts", "pools", "guests", "placement", "events")
"""The tables of a folder, those that are named before those that name them."""
_MAX_TABLE_BYTES: Final = 32_000_000
_MAX_BYTES: Final = 64 * 2**20


def read_brought(path: Path, plan: Plan, traces: Traces) -> Brought:
    """Read an OVF envelope, a table or a folder of tables, or a folder of control groups.

    For groups CPU use is measured a second.

    Parameters
    ----------
    path
        What is read.
    plan, traces
        What it is for.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        It cannot be read, or is neither.
    """
    if path.is_dir():
        if any((path / f"{kind}.csv").is_file() for kind in TABLE_KINDS):
            return with_traces(_folder(path, plan), path, traces)
        if not any(path.iterdir()):
            raise UnitError(f"{path.name} is an empty folder: there is nothing in it to bring in")
        return read_groups(path, plan)
    if path.suffix.lower() in TABLE_SUFFIXES:
        return with_traces(read_table(read_table_text(path), plan), path.parent, traces)
    if path.suffix.lower() not in OVF_SUFFIXES:
        endings = ", ".join((*OVF_SUFFIXES, *TABLE_SUFFIXES))
        raise UnitError(
            f"{path.name}: what can be brought in ends in {endings}, or is a folder of tables or of control groups"
        )
    return read_ovf(read_file(path, _MAX_BYTES, called=path.name), path.name, plan)


def read_table_text(path: Path) -> str:
    """Read the text of a table.

    Raises
    ------
    PlanFileError
        It cannot be read, has too much, or is no text in UTF-8.
    """
    try:
        return read_file(path, _MAX_TABLE_BYTES, called=path.name).decode("utf-8")
    except UnicodeDecodeError:
        raise PlanFileError(f"{path.name} is not text in UTF-8; save it from the spreadsheet as CSV in UTF-8") from None


def _folder(path: Path, plan: Plan) -> Brought:
    """Read a folder of tables, as ``give_out`` writes it: what others name is read before them."""
    found = Brought((), (), ())
    for kind in _IN_ORDER:
        one = path / f"{kind}.csv"
        if not one.is_file():
            continue
        text = read_table_text(one)
        if len(text.splitlines()) < 2:
            continue
        more = read_table(text, with_brought(plan, found))
        found = Brought(
            (*found.pools, *more.pools), (*found.guests, *more.guests), (*found.left_out, *more.left_out),
            (*found.hosts, *more.hosts), (*found.told, *more.told), (*found.placement, *more.placement),
            (*found.events, *more.events), stores=(*found.stores, *more.stores),
        )  # fmt: skip
    return found


def give_out(site: Site, form: str, out: Path) -> str:
    """Write a plan in one of the ``FORMATS``; gives a sentence that says what was written.

    Raises
    ------
    UnitError
        There is no such format, or the plan has no host and nothing that a host would set.
    PlanFileError
        The file or folder cannot be written.
    """
    plan = site.plan
    if form not in FORMATS:
        raise UnitError(f"{form}: there are {', '.join(FORMATS)}")
    if form == "systemd":
        files = drop_ins(divide(site))
        if not files:
            raise UnitError("the plan has no host, and so nothing that a host would set")
        _write_folder(out, {name: text.encode() for name, text in files.items()})
        return f"{out.name} has {len(files)} files; README.txt in each folder says how they are used."
    if form == "csv" and out.suffix.lower() == ".csv":
        replace_file(out, table_of(plan, "guests").encode())
        return f"{out.name} has {counted(len(plan.guests), 'guest')}."
    if form == "csv":
        tables = {f"{kind}.csv": table_of(plan, kind).encode() for kind in TABLE_KINDS if getattr(plan, kind)}
        _write_folder(out, tables | {name: site.traces[name].content for name in trace_files(plan)})
        return f"{out.name} has tables of guests, pools, hosts, stores, rules and events, as far as there are any."
    replace_file(out, write_ovf(plan))
    return f"{out.name} has {counted(len(plan.guests), 'guest')} and {counted(len(plan.pools), 'pool')}."


def _write_folder(out: Path, files: Mapping[str, bytes]) -> None:
    """Write files by their paths into a new folder; nobody sees half of it.

    Raises
    ------
    PlanFileError
        It cannot be written, or there is something in it.
    """
    try:
        half = Path(tempfile.mkdtemp(prefix=f".{out.name}-", dir=out.parent))
        try:
            for name, text in files.items():
                (half / name).parent.mkdir(parents=True, exist_ok=True)
                (half / name).write_bytes(text)
            half.chmod(0o755)
            # An empty folder gives way, one with something in it does not.
            half.rename(out)
        except BaseException:
            shutil.rmtree(half, ignore_errors=True)
            raise
    except OSError as error:
        why = "there is something in it already" if out.is_dir() else error.strerror
        raise PlanFileError(f"{out} cannot be written: {why}; name a new folder") from None
