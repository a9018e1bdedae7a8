"""The desktop: PyQt6 widgets that show what the core computes and push edits; it computes no division itself."""

from ruvex.desktop.app import make_application, make_window, run_desktop

__all__ = ["make_application", "make_window", "run_desktop"]
