"""A host emptied for maintenance: who goes where, who cannot and why; then all at once, as one step."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.moving import emptying_step, guests_on
from ruvex.desktop.state.steps import Step, settings_step

_HINT = (
    "Each guest goes to the host that has most room by then and may take it, the largest first; nothing is moved"
    " before you say so."
)


class EmptyingPage(Page):
    """Shows where the guests of a host would go.

    Attributes
    ----------
    hosts
        Which host is to be emptied.
    going, staying
        Who goes where; who cannot, and why.
    offer
        Does it; while it is pointed at, its effect shows. None while there is nothing to do.
    """

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._hint = QLabel(_HINT, self)
        self._hint.setWordWrap(True)
        set_role(self._hint, "muted")
        self.hosts = Chooser(self)
        self.hosts.setAccessibleName("Host to empty")
        self.hosts.activated.connect(lambda _index: self._show())
        self.going = PlainList(theme, "Who goes where", self)
        self.staying = PlainList(theme, "Who cannot go", self)
        self._heads = [QLabel(self), QLabel(self)]
        self.down_button = QPushButton("Take it down", self)
        self.down_button.setToolTip("Set the host down, so that it has no supply; its settings bring it up again")
        self.down_button.clicked.connect(self._take_down)
        self.offer: OfferButton | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(8)
        for widget in (self._hint, self.hosts, self._heads[0], self.going, self._heads[1], self.staying):
            self._column.addWidget(widget)
        self._column.addWidget(self.down_button)
        self._column.addStretch(1)
        desk.document.edited.connect(lambda _text: self._on_changed())
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Empty a host"

    def enter(self) -> None:
        """Show the selected host, or the one that showed before."""
        plan, chosen = self._desk.document.plan, self._desk.selection.host
        was = self.hosts.currentData() if chosen is None else chosen.id
        self.hosts.clear()
        for host in plan.hosts:
            self.hosts.addItem(host.label, host.id)
        self.hosts.setCurrentIndex(max(self.hosts.findData(was), 0) if plan.hosts else -1)
        self._show()

    def _on_changed(self) -> None:
        if self.isVisible():
            self.enter()

    def _on_selected(self) -> None:
        if self.isVisible() and self._desk.selection.host is not None:
            self.enter()

    def _show(self) -> None:
        host = self.hosts.currentData()
        if self.offer is not None:
            let_go(self.offer, self._column)
            self.offer = None
        step: Step | None = None
        going, staying = list[str](), list[str]()
        if host is not None:
            step, going, staying = emptying_step(self._desk, host)
        self._heads[0].setText(f"{len(going)} would go" if going else "Nobody is on it." if not staying else "")
        self._heads[1].setText(f"{len(staying)} cannot go" if staying else "")
        for lines, texts, head in ((self.going, going, self._heads[0]), (self.staying, staying, self._heads[1])):
            lines.show_lines(list(enumerate(texts)))
            lines.setVisible(bool(texts))
            head.setVisible(bool(head.text()))
        is_up = host is not None and self._desk.document.plan.hosts[self.hosts.currentIndex()].up
        self.down_button.setVisible(host is not None and is_up and not guests_on(self._desk, host))
        if step is not None:
            text = "Move them" if not staying else "Move those who can go"
            self.offer = OfferButton(self._desk, self._theme, step, text, "", self)
            self._column.insertWidget(2, self.offer)

    def _take_down(self) -> None:
        host = self._desk.document.plan.hosts[self.hosts.currentIndex()]
        self._desk.trial.take(settings_step(f"{host.label} down", [(host.id, {"up": False})]))

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self._hint, self.hosts, self.down_button):
            widget.setFont(self._theme.font(12))
        for head in self._heads:
            head.setFont(self._theme.font(12.5, bold=True))
        for lines in (self.going, self.staying):
            lines.style_anew()
