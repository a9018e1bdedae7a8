"""The rules of placement: which guests are kept together, apart, or on some hosts."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.moving import guests_meant
from ruvex.desktop.state.steps import Step
from ruvex.plan import EditError, KeptTogether, PlacementRule, Plan, Stays, with_placement
from ruvex.site import broken_rules

_HINT = (
    "Rules bind starts and moves. Select guests in the rows, then say what is to be kept; for hosts, tick them below."
)


def rule_text(rule: PlacementRule, plan: Plan) -> str:
    """Say a rule in a sentence.

    Examples
    --------
    >>> rule_text(KeptTogether(kind="apart", guests=("a", "b")), Plan())
    'a and b are kept apart'
    """
    labels = plan.labels
    guests = _joined([labels.get(guest, guest) for guest in rule.guests], "and")
    if isinstance(rule, Stays):
        be = "stays" if len(rule.guests) == 1 else "stay"
        return f"{guests} {be} on {_joined([labels.get(host, host) for host in rule.hosts], 'or')}"
    return f"{guests} are kept {rule.kind}"


def _joined(names: Sequence[str], word: str) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} {word} {names[-1]}"


class PlacementPage(Page):
    """A list of rules, and buttons that make one of what is selected.

    Attributes
    ----------
    rules, hosts
        The rules; the hosts, of which those that are chosen count for a rule of hosts.
    together_button, apart_button, stays_button, remove_button
        Make or remove a rule.
    """

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._hint, self.chosen, self.broken = QLabel(_HINT, self), QLabel(self), QLabel(self)
        for label in (self._hint, self.chosen, self.broken):
            label.setWordWrap(True)
        set_role(self._hint, "muted")
        self.rules = PlainList(theme, "Rules of placement", self)
        self.hosts = PlainList(theme, "Hosts for the rule", self)
        self.hosts.setSelectionMode(PlainList.SelectionMode.MultiSelection)
        self.together_button = self._button("On one host", lambda: self._bind("together"))
        self.apart_button = self._button("On different hosts", lambda: self._bind("apart"))
        self.stays_button = self._button("On the hosts chosen", self._stay)
        self.remove_button = self._button("Remove the rule", self._remove)
        self.refusal = QLabel(self)
        self.refusal.setWordWrap(True)
        first, second = QHBoxLayout(), QHBoxLayout()
        for row, buttons in ((first, (self.together_button, self.apart_button)), (second, (self.stays_button,))):
            for button in buttons:
                row.addWidget(button)
            row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        for widget in (self._hint, self.rules, self.remove_button, self.broken, self.chosen):
            column.addWidget(widget)
        column.addLayout(first)
        column.addWidget(self.hosts)
        column.addLayout(second)
        column.addWidget(self.refusal)
        column.addStretch(1)
        desk.selection.changed.connect(self._on_changed)
        desk.document.edited.connect(lambda _text: self._on_changed())
        desk.document.opened.connect(self._on_changed)
        desk.trial.not_accepted.connect(self._on_not_accepted)

    def _button(self, text: str, run: object) -> QPushButton:
        button = QPushButton(text, self)
        button.clicked.connect(lambda _checked=False: run())  # type: ignore[operator]
        return button

    @property
    def title(self) -> str:
        """Name the page."""
        return "Placement rules"

    def enter(self) -> None:
        """Show the rules and what is selected."""
        plan = self._desk.document.plan
        lines = [(i, rule_text(rule, plan)) for i, rule in enumerate(plan.placement)]
        self.rules.show_lines(lines, self.rules.current_key)
        self.rules.setVisible(bool(lines))
        self.remove_button.setVisible(bool(lines))
        if [item for item, _ in _lines(plan)] != self._host_ids():
            self.hosts.show_lines(_lines(plan))
        guests = self._guests()
        names = [plan.labels[guest] for guest in guests]
        self.chosen.setText(f"Selected: {', '.join(names)}" if names else "Select guests for a rule.")
        self.together_button.setEnabled(len(guests) > 1)
        self.apart_button.setEnabled(len(guests) > 1)
        self.stays_button.setEnabled(bool(guests) and bool(plan.hosts))
        self.hosts.setVisible(bool(plan.hosts))
        standing = self._desk.document.site.standing
        broken = broken_rules(plan, standing.host.tolist(), standing.on.tolist())
        self.broken.setText("\n".join(f"Not kept now: {text}" for text in broken))
        self.broken.setVisible(bool(broken))

    def _host_ids(self) -> list[str]:
        items = [self.hosts.item(i) for i in range(self.hosts.count())]
        return [item.data(256) for item in items if item is not None]

    def _guests(self) -> list[str]:
        return guests_meant(self._desk, self._desk.selection.ids)

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refusal.clear()
            self.enter()

    def _on_not_accepted(self, reason: str) -> None:
        if self.isVisible():
            self.refusal.setText(f"Not accepted: {reason}" if reason else "")

    def _bind(self, kind: str) -> None:
        guests = tuple(self._guests())
        if len(guests) < 2:
            self._on_not_accepted("select at least two guests")
            return
        rule = KeptTogether.model_validate({"kind": kind, "guests": guests})
        self._make(f"keep {len(rule.guests)} guests {kind}", [*self._desk.document.plan.placement, rule])

    def _stay(self) -> None:
        hosts, guests = tuple(item.data(256) for item in self.hosts.selectedItems()), tuple(self._guests())
        if not guests:
            self._on_not_accepted("select at least one guest")
            return
        if not hosts:
            self._on_not_accepted("choose at least one host in the list")
            return
        rule = Stays(kind="stays", guests=guests, hosts=hosts)
        self._make(f"keep {len(rule.guests)} guests on hosts", [*self._desk.document.plan.placement, rule])

    def _remove(self) -> None:
        number, rules = self.rules.current_key, list(self._desk.document.plan.placement)
        if number is None:
            self._on_not_accepted("choose the rule in the list")
            return
        gone = rules.pop(number)
        self._make(f"remove the rule that {rule_text(gone, self._desk.document.plan)}", rules)

    def _make(self, text: str, rules: Sequence[PlacementRule]) -> None:
        try:
            self._desk.trial.make(Step(text, lambda plan: with_placement(plan, rules), ()))
        except EditError as error:
            self._on_not_accepted(str(error))
        self.enter()

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (
            self._hint, self.chosen, self.broken, self.refusal, self.together_button, self.apart_button,
            self.stays_button, self.remove_button,
        ):  # fmt: skip
            widget.setFont(self._theme.font(12))
        for lines in (self.rules, self.hosts):
            lines.style_anew()


def _lines(plan: Plan) -> list[tuple[str, str]]:
    return [(host.id, host.label) for host in plan.hosts]
