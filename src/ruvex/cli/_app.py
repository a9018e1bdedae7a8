"""The commands and their arguments; nothing heavy is imported until one of them runs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ruvex import __version__

app = typer.Typer(
    name="ruvex",
    help="See how a hypervisor divides CPU and memory among competing guests before it happens.",
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)

PlanPath = Annotated[
    Path, typer.Argument(metavar="PLAN", help="A plan file, *.ruvex.json; - is standard input.", show_default=False)
]
AsJson = Annotated[bool, typer.Option("--json", help="Print one JSON document instead of a table.")]


def _show_version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"ruvex {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def _no_command(
    context: typer.Context,
    version: Annotated[
        bool,
        typer.Option("--version", help="Print the version and leave.", callback=_show_version, is_eager=True),
    ] = False,
) -> None:
    if context.invoked_subcommand is None:
        from ruvex.cli._open import open_desktop

        raise typer.Exit(open_desktop(None))


@app.command("open")
def _open(
    plan: Annotated[Path | None, typer.Argument(metavar="[PLAN]", help="A plan file.", show_default=False)] = None,
) -> None:
    """Open the desktop, with a plan if one is given."""
    from ruvex.cli._open import open_desktop

    raise typer.Exit(open_desktop(plan))


@app.command("demo")
def _demo() -> None:
    """Open the desktop with the demo plan."""
    from ruvex.cli._open import open_demo

    raise typer.Exit(open_demo())


@app.command("divide")
def _divide(
    plan: PlanPath,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="HH:MM, HH:MM:SS or seconds; the plan's moment if left out."),
    ] = None,
    why: Annotated[
        str | None,
        typer.Option(metavar="ID", help="Explain the figures of a guest or pool, and what would help."),
    ] = None,
    by_host: Annotated[
        bool, typer.Option("--by-host", help="Show each host by itself, and what one machine would give.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Show the division of CPU and memory at a moment."""
    from ruvex.cli._divide import print_division

    raise typer.Exit(print_division(plan, at, why, by_host=by_host, as_json=as_json))


@app.command("check")
def _check(plan: PlanPath, as_json: AsJson = False) -> None:
    """Tell whether a plan is fit: no faults, promises kept, all that is on may be on; 0 yes, 1 no, 2 unreadable."""
    from ruvex.cli._check import print_check

    raise typer.Exit(print_check(plan, as_json=as_json))


@app.command("admit")
def _admit(
    plan: PlanPath,
    guest: Annotated[str, typer.Argument(metavar="GUEST", help="The id of a guest.", show_default=False)],
    as_json: AsJson = False,
) -> None:
    """Tell whether a guest would power on, and if not, why not and what would help."""
    from ruvex.cli._admit import print_admission

    raise typer.Exit(print_admission(plan, guest, as_json=as_json))


@app.command("run")
def _run(
    plan: PlanPath,
    until: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="Where to stop; the end of the day if left out."),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(metavar="FILE", help="Write the series to a .csv (long form) or .npz file."),
    ] = None,
    every: Annotated[
        str | None,
        typer.Option(metavar="SECONDS", help="How far apart the rows of the series are; 10 if left out."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Play a plan over its day, and show what it comes to."""
    from ruvex.cli._run import print_run

    raise typer.Exit(print_run(plan, until, out, every, as_json=as_json))


@app.command("cores")
def _cores(
    plan: PlanPath,
    host: Annotated[str | None, typer.Option(metavar="ID", help="Which host; the only one if left out.")] = None,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="HH:MM, HH:MM:SS or seconds; the plan's moment if left out."),
    ] = None,
    for_s: Annotated[str, typer.Option("--for", metavar="SECONDS", help="How long a window is, up to 60.")] = "2",
    seed: Annotated[int, typer.Option(metavar="N", help="Of the chances of the first window.")] = 1,
    windows: Annotated[int, typer.Option(metavar="N", help="How many, with following seeds; medians are told.")] = 1,
    out: Annotated[
        Path | None,
        typer.Option(
            metavar="FILE", help="Write the turns of the first window to a .csv or .json (trace events) file."
        ),
    ] = None,
    played: Annotated[bool, typer.Option("--played", help="As the day has it then, not as it would settle.")] = False,
    as_json: AsJson = False,
) -> None:
    """Show who runs when on the threads of a host, and who waits."""
    from ruvex.cli._cores import print_cores

    raise typer.Exit(print_cores(plan, host, at, for_s, seed, windows, out, as_json=as_json, played=played))


@app.command("prove")
def _prove(
    plan: PlanPath,
    at: Annotated[str | None, typer.Option(metavar="TIME", help="The plan's moment if left out.")] = None,
    host: Annotated[str | None, typer.Option(metavar="ID", help="Which host; the first if left out.")] = None,
    pool: Annotated[str | None, typer.Option(metavar="ID", help="Only this pool, on what it gets there.")] = None,
    processors: Annotated[int | None, typer.Option(min=1, metavar="N", help="How many of this machine.")] = None,
    seconds: Annotated[float, typer.Option("--for", metavar="SECONDS", help="How long a run is, up to 30.")] = 4.0,
    runs: Annotated[int, typer.Option(metavar="N", help="How many runs, up to 10; they differ by the noise.")] = 3,
    within: Annotated[float, typer.Option(metavar="PERCENT", help="Of the machine; status 1 beyond it.")] = 5.0,
    as_json: AsJson = False,
) -> None:
    """Run the plan's weights and limits on this machine's own kernel, and compare."""
    from ruvex.cli._prove import print_proof

    raise typer.Exit(print_proof(plan, at, host, pool, processors, seconds, runs, within, as_json=as_json))


@app.command("owners")
def _owners(
    plan: PlanPath,
    out: Annotated[Path | None, typer.Option(metavar="FILE", help="The report, ending in .html or .pdf.")] = None,
    as_json: AsJson = False,
) -> None:
    """Show what each owner has over the day, and write the report."""
    from ruvex.cli._owners import print_owners

    raise typer.Exit(print_owners(plan, out, as_json=as_json))


@app.command("findings")
def _findings(
    plan: PlanPath,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="HH:MM, HH:MM:SS or seconds; the plan's moment if left out."),
    ] = None,
    at_least: Annotated[
        str | None,
        typer.Option(metavar="GROUP", help="Only these and worse: hurts-now, will-hurt or untidy; status 1 if any."),
    ] = None,
    kind: Annotated[
        list[str] | None, typer.Option(metavar="KIND", help="Only of this kind; status 1 if any. May be given again.")
    ] = None,
    not_kind: Annotated[
        list[str] | None, typer.Option("--not-kind", metavar="KIND", help="None of this kind. May be given again.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Show what is worth a look in a plan, and what would mend it."""
    from ruvex.cli._findings import print_findings

    raise typer.Exit(print_findings(plan, at, at_least, kind or [], not_kind or [], as_json=as_json))


@app.command("without")
def _without(
    plan: PlanPath,
    host: Annotated[str | None, typer.Argument(metavar="[HOST]", help="Which host; each in turn if left out.")] = None,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="When it is lost; at the day's worst moment if left out."),
    ] = None,
    empty: Annotated[
        bool, typer.Option("--empty", help="Empty it instead: the order of moves, with times, from the plan's moment.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Show what becomes of the site without a host: who comes back where and when, who stays off, who is hurt."""
    from ruvex.cli._without import print_without

    raise typer.Exit(print_without(plan, host, at, empty=empty, as_json=as_json))


@app.command("places")
def _places(plan: PlanPath, as_json: AsJson = False) -> None:
    """Show better places for guests: as few moves as close most of what placement costs over the day."""
    from ruvex.cli._places import print_places

    raise typer.Exit(print_places(plan, as_json=as_json))


@app.command("beside")
def _beside(
    then: Annotated[Path, typer.Argument(metavar="PLAN", help="The plan to compare with.", show_default=False)],
    now: Annotated[Path | None, typer.Argument(metavar="[PLAN]", help="The plan as it is now.")] = None,
    rule: Annotated[
        str | None,
        typer.Option(metavar="NAME=VALUE", help="Compare with the same plan under another rule."),
    ] = None,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="HH:MM, HH:MM:SS or seconds; the moment of the plan now if left out."),
    ] = None,
    day: Annotated[bool, typer.Option("--day", help="Play both days, and compare them too.")] = False,
    as_json: AsJson = False,
) -> None:
    """Show two plans side by side: who gets less, who gets more, who falls short that did not."""
    from ruvex.cli._beside import print_beside

    raise typer.Exit(print_beside(then, now, rule, at, day=day, as_json=as_json))


@app.command("room")
def _room(
    plan: PlanPath,
    like: Annotated[str | None, typer.Option(metavar="ID", help="The guest they are to be like.")] = None,
    vcpus: Annotated[str | None, typer.Option(metavar="N", help="Or its vCPUs.")] = None,
    memory: Annotated[str | None, typer.Option(metavar="SIZE", help="And its memory.")] = None,
    cpu: Annotated[str | None, typer.Option(metavar="MHZ", help="What it wants; half its vCPUs if left out.")] = None,
    working: Annotated[
        str | None, typer.Option(metavar="SIZE", help="What it works with; half of its memory if left out.")
    ] = None,
    mode: Annotated[str | None, typer.Option(metavar="MODE", help="thin (if left out), fixed or elastic.")] = None,
    pool: Annotated[str | None, typer.Option(metavar="ID", help="In which pool; beside the pools if left out.")] = None,
    at: Annotated[
        str | None,
        typer.Option(metavar="TIME", help="HH:MM, HH:MM:SS or seconds; the plan's moment if left out."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Show how many more guests fit, by promises and by need, and what the next one lacks."""
    from ruvex.cli._room import print_room

    typed = {"vcpus": vcpus, "memory": memory, "cpu": cpu, "working": working, "mode": mode, "pool": pool}
    raise typer.Exit(print_room(plan, like, typed, at, as_json=as_json))


@app.command("sizes")
def _sizes(
    plan: PlanPath,
    guest: Annotated[str | None, typer.Argument(metavar="[GUEST]", help="Which guest; all if left out.")] = None,
    as_json: AsJson = False,
) -> None:
    """Show which guests are not of the right size, from the day as it is played, and what elastic memory saves."""
    from ruvex.cli._sizes import print_sizes

    raise typer.Exit(print_sizes(plan, guest, as_json=as_json))


@app.command("sweep")
def _sweep(
    plan: PlanPath,
    settings: Annotated[
        list[str] | None,
        typer.Option("--set", metavar="ID:SETTING=FROM..TO", help="A setting and its range, with :STEPS if you like."),
    ] = None,
    watches: Annotated[
        list[str] | None,
        typer.Option("--watch", metavar="ID:OUTCOME", help="pace, short, late, wait, met of a guest; free of a host."),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Play the day with one or two settings over a range, and show what becomes of an outcome."""
    from ruvex.cli._sweep import print_sweep

    raise typer.Exit(print_sweep(plan, settings or [], watches or [], as_json=as_json))


@app.command("days")
def _days(
    plan: PlanPath,
    days: Annotated[int, typer.Option(metavar="N", help="How many random days.")] = 200,
    seed: Annotated[int | None, typer.Option(metavar="N", help="Of their chances; the plan's own if left out.")] = None,
    on: Annotated[
        str | None, typer.Option(metavar="ADDRESS", help="Of a Dask scheduler, such as tcp://host:8786.")
    ] = None,
    done_by: Annotated[
        str | None, typer.Option(metavar="ID=TIME", help="How often the batch work of a guest is done by then.")
    ] = None,
    with_more: Annotated[
        bool, typer.Option("--with-more", help="Also with one more host, and with a tenth more memory.")
    ] = False,
    out: Annotated[Path | None, typer.Option(metavar="FILE", help="Write every day's figures to a CSV file.")] = None,
    as_json: AsJson = False,
) -> None:
    """Play many random days, and show how often and how long guests and pools are short."""
    from ruvex.cli._days import print_days

    raise typer.Exit(print_days(plan, days, seed, on, done_by, out, with_more=with_more, as_json=as_json))


@app.command("bring")
def _bring(
    files: Annotated[
        list[Path],
        typer.Argument(metavar="FILE…", help="OVF envelopes, tables, or folders of tables or of control groups."),
    ],
    into: Annotated[Path | None, typer.Option(metavar="PLAN", help="The plan they come into; it is written.")] = None,
    out: Annotated[Path | None, typer.Option(metavar="PLAN", help="Where the plan goes, if that is elsewhere.")] = None,
) -> None:
    """Bring guests, pools, hosts and more from formats that others write into a plan."""
    from ruvex.cli._bring import bring

    raise typer.Exit(bring(files, into, out))


@app.command("load")
def _load(
    file: Annotated[Path, typer.Argument(metavar="FILE", help="OpenMetrics text with timestamps, or CSV over time.")],
    into: Annotated[Path | None, typer.Option(metavar="PLAN", help="The plan whose guests follow it; written.")] = None,
    out: Annotated[Path | None, typer.Option(metavar="PLAN", help="Where the plan goes, if that is elsewhere.")] = None,
    metric: Annotated[str | None, typer.Option(help="What is taken; else the first there is.")] = None,
    label: Annotated[str | None, typer.Option(help="The label that names the guest.")] = None,
    where: Annotated[list[str] | None, typer.Option(metavar="LABEL=VALUE", help="Only series like that.")] = None,
    fill: Annotated[str | None, typer.Option("--as", help="cpu, working or touched.")] = None,
    unit: Annotated[str | None, typer.Option(help="What the numbers are, such as cores, MHz, bytes or GiB.")] = None,
    percentile: Annotated[float, typer.Option(min=0, max=100, help="Of the days; 50: their median.")] = 50.0,
    days: Annotated[str, typer.Option(help="all, workdays or weekend.")] = "all",
    zone: Annotated[str, typer.Option(help="The time zone of the site, such as Europe/London.")] = "UTC",
    step: Annotated[float | None, typer.Option(min=10, max=43200, help="Seconds of a step of the day.")] = None,
) -> None:
    """Let guests follow a typical day of what was measured; without a plan, tell what was."""
    from ruvex.cli._load import load

    raise typer.Exit(load(
        file, into, out, metric=metric, label=label, where=where or [], fill=fill, unit=unit, percentile=percentile,
        days=days, zone=zone, step_s=step,
    ))  # fmt: skip


@app.command("hand-over")
def _hand_over(
    plan: PlanPath,
    pool: Annotated[str, typer.Argument(metavar="POOL", help="The id of the pool.")],
    out: Annotated[Path, typer.Option(metavar="FILE", help="Where its own plan goes.")],
    may: Annotated[
        str | None,
        typer.Option(metavar="LIST", help="switch, divide, resize, add; as the pool has it if left out."),
    ] = None,
) -> None:
    """Give a pool to its owner as a plan of its own, within bounds."""
    from ruvex.cli._hand import print_hand_over

    raise typer.Exit(print_hand_over(plan, pool, out, may))


@app.command("take-back")
def _take_back(
    plan: PlanPath,
    file: Annotated[Path, typer.Argument(metavar="FILE", help="What its owner made of what was handed over.")],
    out: Annotated[Path | None, typer.Option(metavar="PLAN", help="Where the plan goes, if that is elsewhere.")] = None,
    keep: Annotated[
        str | None, typer.Option(metavar="SIDE", help="Where both changed the same: here or there.")
    ] = None,
) -> None:
    """Take a pool back that was handed over; status 1 where both sides changed the same."""
    from ruvex.cli._hand import print_take_back

    raise typer.Exit(print_take_back(plan, file, out, keep))


@app.command("give")
def _give(
    plan: PlanPath,
    out: Annotated[Path, typer.Option(metavar="FILE", help="Where it goes.")],
    form: Annotated[
        str,
        typer.Option(
            "--as",
            metavar="FORMAT",
            help="ovf: an envelope; csv: guests as a table, or all tables as a folder; systemd: a folder of drop-ins.",
        ),
    ] = "ovf",
) -> None:
    """Write a plan in a format that others read."""
    from ruvex.cli._bring import give

    raise typer.Exit(give(plan, form, out))


@app.command("integrate")
def _integrate(
    remove: Annotated[bool, typer.Option("--remove", help="Take it all away again.")] = False,
) -> None:
    """Put icon, desktop entry, kind of file, man page and completion of shells in place for this person."""
    from ruvex.cli._integrate import integrate

    raise typer.Exit(integrate(remove=remove))


@app.command("prepare")
def _prepare() -> None:
    """Compile what computes ahead, so that nothing waits for it later; needed once after an installation."""
    from ruvex.engine import is_cache_filled

    if not is_cache_filled():
        from ruvex.cores import prepare

        prepare()


@app.command("schema")
def _schema() -> None:
    """Print the JSON Schema of a plan file."""
    from ruvex.cli._schema import print_schema

    raise typer.Exit(print_schema())


def run_command() -> int:
    """Run the command that the arguments name; gives its exit status."""
    try:
        status = app(standalone_mode=False)
    except Exception as error:
        # Arguments that cannot be understood: typer's errors show themselves, with the usage of the command.
        show, status = getattr(error, "show", None), getattr(error, "exit_code", None)
        if show is None or status is None:
            raise
        show()
    return status if isinstance(status, int) else 0
