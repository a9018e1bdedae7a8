"""The man page and the completion of shells, made of the commands themselves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import typer


@dataclass(frozen=True, slots=True)
class _Option:
    """One option: its names, what stands behind it (empty for a switch), what it is for."""

    names: tuple[str, ...]
    value: str
    text: str


@dataclass(frozen=True, slots=True)
class _Command:
    """One command: its name, its arguments as they are written, what it does, its options."""

    name: str
    arguments: tuple[str, ...]
    text: str
    options: tuple[_Option, ...]


def _commands() -> list[_Command]:
    from ruvex.cli._app import app

    group: Any = typer.main.get_command(app)
    return [_command(name, one) for name, one in group.commands.items() if not one.hidden]


def _command(name: str, command: Any) -> _Command:
    arguments, options = [], []
    for one in command.params:
        if one.param_type_name == "argument":
            arguments.append(one.metavar or one.name.upper())
        else:
            value = "" if one.is_flag else one.metavar or one.name.upper()
            options.append(_Option((*one.opts, *one.secondary_opts), value, _plain(one.help or "")))
    return _Command(name, tuple(arguments), _plain(command.help or ""), tuple(options))


def _plain(text: str) -> str:
    return " ".join(text.split())


# The man page


def man_page() -> str:
    """Give the man page, in the language of man(7)."""
    lines = [
        '.TH RUVEX 1 "" "Ruvex" "User commands"',
        ".SH NAME",
        "ruvex \\- see how a hypervisor divides CPU and memory among competing guests before it happens",
        ".SH SYNOPSIS",
        ".B ruvex",
        "[\\fICOMMAND\\fR [\\fIARGUMENTS\\fR]]",
        ".SH DESCRIPTION",
        "Without a command the desktop opens. A plan is a file that ends in .ruvex.json.",
        ".SH COMMANDS",
    ]
    for command in _commands():
        words = " ".join([f"\\fB{_roff(command.name)}\\fR", *(f"\\fI{_roff(one)}\\fR" for one in command.arguments)])
        lines += [".SS " + words, _roff(command.text)]
        for option in command.options:
            value = f" \\fI{_roff(option.value)}\\fR" if option.value else ""
            names = ", ".join(f"\\fB{_roff(name)}\\fR" for name in option.names)
            lines += [".TP", names + value, _roff(option.text) or "\\&"]
    lines += [
        ".SH EXIT STATUS",
        "0: done. 1: the answer is no. 2: unusable input, or output that cannot be written.",
        "3: a fault of Ruvex itself. 130: interrupted.",
        "",
    ]
    return "\n".join(lines)


def _roff(text: str) -> str:
    escaped = text.replace("\\", "\\e").replace("-", "\\-")
    escaped = "".join(ch if ch.isascii() else f"\\[u{ord(ch):04X}]" for ch in escaped)
    return "\\&" + escaped if escaped.startswith((".", "'")) else escaped


# Completion


def completion(shell: str) -> str:
    """Give the completion for bash, zsh or fish: commands, the options of each, and files.

    Raises
    ------
    KeyError
        There is none for that shell.
    """
    return {"bash": _bash, "zsh": _zsh, "fish": _fish}[shell](_commands())


def _bash(commands: list[_Command]) -> str:
    lines = [
        "# Completion of ruvex for bash",
        "_ruvex() {",
        '    local word="${COMP_WORDS[COMP_CWORD]}" words=""',
        '    if [ "$COMP_CWORD" -eq 1 ]; then',
        f'        COMPREPLY=($(compgen -W "{" ".join(one.name for one in commands)} --help --version" -- "$word"))',
        "        return",
        "    fi",
        '    case "${COMP_WORDS[1]}" in',
    ]
    for command in commands:
        names = " ".join(name for option in command.options for name in option.names)
        lines.append(f'        {command.name}) words="{f"{names} --help".strip()}" ;;')
    lines += [
        "    esac",
        '    if [[ "$word" == -* ]]; then',
        '        COMPREPLY=($(compgen -W "$words" -- "$word"))',
        "    else",
        '        COMPREPLY=($(compgen -f -- "$word"))',
        "    fi",
        "}",
        "complete -o filenames -F _ruvex ruvex",
        "",
    ]
    return "\n".join(lines)


def _zsh(commands: list[_Command]) -> str:
    lines = ["#compdef ruvex", "# Completion of ruvex for zsh", "_ruvex() {", "    local -a commands", "    commands=("]
    lines += [f"        {_quoted(f'{one.name}:{one.text}')}" for one in commands]
    lines += [
        "    )",
        "    if (( CURRENT == 2 )); then",
        "        _describe command commands",
        "        return",
        "    fi",
        '    case "$words[2]" in',
    ]
    for command in commands:
        told = []
        for option in command.options:
            value = f":{option.value}:_files" if option.value else ""
            text = option.text.replace("[", "(").replace("]", ")").replace(":", " -")
            told += [_quoted(f"{name}[{text}]{value}") for name in option.names]
        lines.append(f"        {command.name}) _arguments {' '.join([*told, _quoted('*:file:_files')])} ;;")
    lines += ["    esac", "}", '_ruvex "$@"', ""]
    return "\n".join(lines)


def _fish(commands: list[_Command]) -> str:
    lines = ["# Completion of ruvex for fish"]
    for command in commands:
        text = _quoted(command.text)
        lines.append(f"complete -c ruvex -n __fish_use_subcommand -a {command.name} -d {text}")
        for option in command.options:
            names = " ".join(f"-l {n[2:]}" if n.startswith("--") else f"-s {n[1:]}" for n in option.names)
            takes = " -r" if option.value else ""
            seen = f"'__fish_seen_subcommand_from {command.name}'"
            lines.append(f"complete -c ruvex -n {seen} {names}{takes} -d {_quoted(option.text)}")
    return "\n".join([*lines, ""])


def _quoted(text: str) -> str:
    return "'" + text.replace("'", "'\\''") + "'"
