"""The window as it was left: where it stood, which units and columns were chosen, what was folded."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PyQt6.QtWidgets import QWidget

from ruvex.desktop.panels.dials import Dials
from ruvex.desktop.panels.view import View
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.shell.pages import Pages
from ruvex.desktop.state.units import CHOICES, Units


class Arrangement:
    """Gives what is to be remembered of a window, and takes it when the next one opens.

    Parameters
    ----------
    window, dials, views, pages, units
        Whose places and choices they are.
    """

    def __init__(
        self, window: QWidget, dials: Dials, views: Mapping[str, View], pages: Pages, units: Units
    ) -> None:  # fmt: skip
        self._window, self._dials, self._views, self._pages, self._units = window, dials, views, pages, units

    def now(self) -> dict[str, Any]:
        """Give how the window is arranged."""
        geometry = self._window.saveGeometry().toBase64().data().decode("ascii")
        return {
            "geometry": geometry, "dials_folded": self._dials.folded_by_choice, "why": self._pages.shows(WhyPage),
            "units": {name: self._units.chosen(name) for name in CHOICES},
            "views": {name: view.arrangement() for name, view in self._views.items()},
        }  # fmt: skip

    def take(self, layout: Mapping[str, Any]) -> None:
        """Arrange the window as it was left; what cannot be understood is passed over."""
        units = layout.get("units")
        if isinstance(units, dict):
            for resource in CHOICES:
                self._units.choose(resource, str(units.get(resource)))
        kept = layout.get("views")
        for name, view in self._views.items():
            of_view = kept.get(name) if isinstance(kept, dict) else None
            view.arrange(of_view if isinstance(of_view, dict) else {})
        folded = layout.get("dials_folded")
        self._dials.set_folded(folded if isinstance(folded, bool) else None)
        if layout.get("why") is True:
            self._pages.open(WhyPage)
