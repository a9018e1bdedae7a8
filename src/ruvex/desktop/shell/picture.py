"""Pictures of the window without a screen: ``python -m ruvex.desktop.shell.picture PLAN FILE``."""

from __future__ import annotations

import argparse
import contextlib
import os
import sys
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path

from ruvex.plan import EditError, RuvexError, parse_time

_LAYOUTS = 8


def take_picture(
    plan: Path | None,
    file: Path,
    *,
    at: str | None = None,
    select: str | None = None,
    preview: tuple[str, float] | None = None,
    change: tuple[str, str, float] | None = None,
    view: str | None = None,
    do: Sequence[str] = (),
    look: str = "light",
    scale: float = 1.0,
    size: tuple[int, int] = (1280, 800),
) -> None:
    """Show a plan in the window and write what is seen as a PNG.

    Parameters
    ----------
    plan, file
        The plan to open, None for an empty one, and the PNG to write.
    at, select
        Another moment than the plan's, and the id of a guest or pool to select.
    preview
        A setting of what is selected and a value, shown as while its dial is moved.
    change
        A change that is made: an item, a setting and its value; where it is refused, that is what the picture shows.
    view
        The name of the view to show, the first if left out.
    do
        Names of actions that are run before the picture is taken.
    look, scale, size
        ``light``, ``dark`` or ``contrast``, the text size against the standard, and the window's size in pixels.

    Raises
    ------
    RuvexError
        The plan cannot be opened, or the picture not be written.
    """
    from ruvex.desktop.kit.actions import ActionName
    from ruvex.desktop.panels.setting_text import setting_edit_text
    from ruvex.desktop.shell.app import make_application, make_window
    from ruvex.desktop.state.preferences import Preferences
    from ruvex.desktop.state.steps import settings_step

    application = make_application()
    with tempfile.TemporaryDirectory() as folder:
        window = make_window(preferences=Preferences(Path(folder)), follow_desktop=False)
        window.theme.set_mode(look)
        window.theme.set_scale(scale)
        window.resize(*size)
        # A picture only looks: a window that has the plan open, or opens it meanwhile, need not hear of it.
        window.files.own_file.close()
        if plan is not None:
            window.desk.document.open(plan)
        if at is not None:
            window.desk.look.set_moment(parse_time(at))
        window.desk.selection.select(select)
        window.show()
        if change is not None:
            target, setting, value = change
            text = f"{target}: {setting.replace('_', ' ')} → {value:g}"
            if setting.startswith(("cpu.", "memory.")):
                text = setting_edit_text(window.desk, [target], setting, value)
            step = settings_step(text, [(target, {setting: value})])
            with contextlib.suppress(EditError):
                window.desk.trial.make(step)
        if view is not None:
            window.show_view(view)
        for name in do:
            window.actions_by_name[ActionName[name]].trigger()
        for is_previewed in (False, True):
            if is_previewed and select is not None and preview is not None:
                window.dials.preview(*preview)
            application.processEvents()
            while window.playing.is_running or not window.desk.rehearsal.is_current:
                window.desk.background.wait()
                application.processEvents()
        # What an answer from the background changes may ask the background again.
        for _ in range(3):
            window.desk.background.wait()
            application.processEvents()
        while window.view.is_behind:
            time.sleep(0.01)
            application.processEvents()
        # Words that wrap ask for their height once they know their width, and what is around them follows.
        for _ in range(_LAYOUTS):
            application.processEvents()
        if not window.grab().save(str(file), "PNG"):
            raise RuvexError(f"{file}: the picture cannot be written")
        window.close()


def main(arguments: list[str] | None = None) -> int:
    """Read the command's arguments and take the picture; gives the exit status."""
    parser = argparse.ArgumentParser(prog="python -m ruvex.desktop.shell.picture", description=__doc__)
    parser.add_argument("plan", type=Path)
    parser.add_argument("file", type=Path)
    parser.add_argument("--at", help="the time of day, HH:MM")
    parser.add_argument("--select", help="the id of a guest or pool")
    parser.add_argument("--preview", metavar="SETTING=VALUE", help="a setting of it, as while its dial is moved")
    parser.add_argument("--change", metavar="ITEM:SETTING=VALUE", help="a change to make, refused or not")
    parser.add_argument("--view", help="the name of the view to show")
    parser.add_argument("--do", action="append", default=[], metavar="ACTION", help="an action to run, by its name")
    parser.add_argument("--look", choices=("light", "dark", "contrast"), default="light")
    parser.add_argument("--scale", type=float, default=1.0)
    parser.add_argument("--size", default="1280x800")
    options = parser.parse_args(arguments)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    width, _, height = options.size.partition("x")
    change = None
    if options.change:
        changed, _, wished = options.change.partition("=")
        item, _, key = changed.partition(":")
        change = (item, key, float(wished))
    setting, _, value = (options.preview or "").partition("=")
    try:
        take_picture(
            options.plan, options.file, at=options.at, select=options.select,
            preview=(setting, float(value)) if setting else None, change=change, view=options.view, do=options.do,
            look=options.look,
            scale=options.scale, size=(int(width), int(height)),
        )  # fmt: skip
    except RuvexError as error:
        print(f"ruvex: {error}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
