"""The desktop: PyQt6 widgets that show what the core computes and push edits; it computes no division itself."""

from ruvex.desktop.shell.app import make_application, make_window, run_desktop
from ruvex.desktop.shell.demo import demo_path

__all__ = ["demo_path", "make_application", "make_window", "run_desktop"]
