"""What is tried with each kind of input: it is taken and everything holds, or it is refused in words."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable, Mapping
from pathlib import Path

from ruvex.desktop.state.figures import parse_plain, parse_shares
from ruvex.desktop.state.preferences import Preferences
from ruvex.desktop.state.recovery_copy import read_copy, read_facts
from ruvex.divide import causes_of, divide
from ruvex.exchange import TABLE_KINDS, cells_of, headings_of, kind_of, read_table, table_of, with_brought
from ruvex.plan import (
    EditError,
    OurFaultError,
    PlanError,
    PlanFile,
    PlanFileError,
    RuvexError,
    UnitError,
    format_time,
    parse_cpu,
    parse_memory,
    parse_number,
    parse_time,
    read_plan,
    write_plan,
)
from ruvex.play import Player, TooMuchError, division_at
from ruvex.promise import claims_of, hosts_that_take
from ruvex.site import Site, site_of
from ruvex.words import entry_text, summary_facts
from tests.demo import DEMO
from tests.play.site import check

PLAYED_S = 240.0
_MOST_GUESTS = 400
TRACE = "load.csv"
TRACED = {
    "format": "ruvex-plan", "version": 1,
    "hosts": [{"id": "h", "sockets": 1, "cores_per_socket": 3, "mhz": 2300, "memory_mib": 9000}],
    "guests": [
        {"id": "a", "demand": {"cpu": {"kind": "trace", "file": TRACE, "column": "cpu"},
                               "working": {"kind": "trace", "file": TRACE, "column": "mib"}}},
        {"id": "b", "vcpus": 4, "demand": {"cpu": 9100}},
    ],
}  # fmt: skip


def try_plan(content: bytes) -> bool:
    """Take a plan's file as the window and the commands do: read, write, divide, promise, play."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        path = folder / "plan.ruvex.json"
        shutil.copytree(DEMO.parent / "traces", folder / "traces")
        path.write_bytes(content)
        return _try_file(path)


def try_trace(content: bytes) -> bool:
    """Take a trace beside a plan that follows it."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / TRACE).write_bytes(content)
        path = folder / "plan.ruvex.json"
        path.write_text(json.dumps(TRACED), encoding="utf-8")
        return _try_file(path)


def _try_file(path: Path) -> bool:
    try:
        file = read_plan(path)
    except (PlanError, PlanFileError) as error:
        _must_be_said(error)
        return False
    _use(file, path.parent)
    return True


def try_table(content: bytes) -> bool:
    """Take a table of guests, as it is pasted or opened."""
    demo = read_plan(DEMO)
    plan, text = demo.plan, content.decode("utf-8", "replace")
    try:
        cells = cells_of(text)
        headings_of(cells[0], kind_of(cells[0]))
        pasted = read_table(text, plan)
        after = with_brought(plan, pasted)
        if len(after.guests) < _MOST_GUESTS:
            divide(site_of(after, demo.traces))
    except (PlanError, EditError) as error:
        _must_be_said(error)
        return False
    for kind in TABLE_KINDS:
        table_of(after, kind)
    return True


def try_settings(content: bytes) -> bool:
    """Take what is remembered of the window."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        (folder / "desktop.json").write_bytes(content)
        preferences = Preferences(folder)
        assert preferences.theme_mode in ("desktop", "light", "dark", "contrast")
        assert 0.5 <= preferences.text_scale <= 3
        assert isinstance(preferences.layout, dict) and isinstance(preferences.recent, list)
        preferences.add_recent(DEMO)
        assert Preferences(folder).recent[0] == DEMO
        return bool(preferences.layout)


def try_recovery(content: bytes) -> bool:
    """Take a recovery copy."""
    with tempfile.TemporaryDirectory() as name:
        copy = Path(name) / "copy.recovery"
        copy.write_bytes(content)
        try:
            read_facts(copy)
            found = read_copy(copy)
        except (PlanError, PlanFileError) as error:
            _must_be_said(error)
            return False
        _use(PlanFile(found.plan, found.traces, found.layout), Path(name))
        return True


def try_quantity(content: bytes) -> bool:
    """Take what is typed as a quantity or a time."""
    text, is_taken = content.decode("utf-8", "replace"), False
    for read in (parse_cpu, parse_memory, parse_number, parse_time, parse_plain, parse_shares):
        try:
            value = read(text)
        except UnitError as error:
            _must_be_said(error)
            continue
        assert value == value and abs(value) < float("inf"), f"{text!r} is {value}"
        if read is parse_time and value == int(value) and value < 3.6e7:
            assert parse_time(format_time(value)) == value
        is_taken = True
    return is_taken


KINDS: Mapping[str, Callable[[bytes], bool]] = {
    "plan": try_plan, "trace": try_trace, "table": try_table, "settings": try_settings, "recovery": try_recovery,
    "quantity": try_quantity,
}  # fmt: skip


def _must_be_said(error: RuvexError) -> None:
    assert not isinstance(error, OurFaultError), f"a fault of ours: {error}"
    text = str(error)
    assert text.strip() and len(text) < 200_000, "a reason people can read"
    assert len(getattr(error, "problems", ())) <= 101, "not more faults than anybody reads"
    text.encode("utf-8")


def _use(file: PlanFile, folder: Path) -> None:
    """Do with a plan whatever is done with it, and look that it holds."""
    plan = file.plan
    again = folder / "again" / "plan.ruvex.json"
    again.parent.mkdir(exist_ok=True)
    write_plan(plan, again, layout=file.layout, traces=file.traces)
    read = read_plan(again)
    assert read.plan == plan, "what was written reads as another plan"
    assert all(read.traces[name].columns == file.traces[name].columns for name in read.traces)
    if len(plan.guests) > _MOST_GUESTS:
        return
    site = site_of(plan, file.traces)
    for at_s in {0.0, plan.moment, plan.day_s / 3, plan.day_s}:
        division = divide(site, at_s)
        json.dumps(division.to_json(), allow_nan=False)
        for resource in ("cpu", "memory"):
            causes_of(division, resource)
    claims_of(site)
    for guest in plan.guests[:3]:
        hosts_that_take(site, guest.id)
    _play(site)


def _play(site: Site) -> None:
    plan = site.plan
    try:
        player = Player(site, until_s=min(plan.day_s, max(PLAYED_S, 3 * plan.tick_s)), watch=check)
    except TooMuchError as error:
        _must_be_said(error)
        return
    player.run()
    document = player.summary().to_json()
    json.dumps(document, allow_nan=False)
    for entry in player.log:
        entry_text(entry, plan)
    summary_facts(player.summary(), plan)
    json.dumps(division_at(player, player.now_s / 2).to_json(), allow_nan=False)
