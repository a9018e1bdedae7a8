"""A plan's division of CPU beside what this machine's own kernel gives: asked for here, shown guest by guest."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.divide import divide
from ruvex.plan import EditError, Plan, find_item, format_cpu, format_time, pools_within
from ruvex.proof import Proof, ProofRow, processors_here, scaled_to

_HINT: Final = (
    "The weights and limits of one host, or of one pool on it, are put to the control groups of this machine's own"
    " kernel, scaled to its processors, with small programs that want what the guests want at this moment. On one"
    " processor the kernel keeps weights most exactly; on several it also moves programs between them. It takes a"
    " quarter of a minute and needs root, or a group that was handed to you. Nothing stays behind."
)
_SECONDS, _RUNS = 4.0, 3
_LINE, _BAR, _NAME, _FIGURE = 24, 9, 150, 128


class ProofPicture(QWidget):
    """A line for each pool and guest: the bar is what the kernel gave, the tick across it what Ruvex says."""

    is_chart = True

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._rows: list[tuple[str, int, ProofRow]] = []
        self._mhz = 1.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_proof(self, proof: Proof | None, plan: Plan) -> None:
        """Show another proof, or none."""
        self._rows = []
        if proof is not None:
            self._mhz = proof.scaled.mhz
            depths: dict[str | None, int] = {None: -1}
            for row in proof.rows:
                depths[row.party.item] = depths[row.party.parent] + 1
                label = str(getattr(find_item(plan, row.party.item), "label", row.party.item))
                self._rows.append((label, depths[row.party.item], row))
        self.setAccessibleName("Ruvex beside the kernel")
        self.setAccessibleDescription("; ".join(self.texts))
        self.updateGeometry()
        self.update()

    @property
    def texts(self) -> list[str]:
        """What the lines say."""
        return [f"{label}: {self._figure(row)}" for label, _, row in self._rows]

    def _figure(self, row: ProofRow) -> str:
        return f"{format_cpu(row.party.expected * self._mhz)} · {format_cpu(row.mean * self._mhz)}"

    def sizeHint(self) -> QSize:
        """Ask for a line each."""
        return QSize(self._theme.px(300), self._theme.px(_LINE) * (len(self._rows) + bool(self._rows)) + 2)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the lines."""
        with painting(self) as painter:
            theme, px, colours = self._theme, self._theme.px, self._theme.colours
            plain, bold = theme.face(12), theme.face(12, bold=True)
            most = max((max(*row.measured, row.party.expected) for _, _, row in self._rows), default=0.0) or 1.0
            figure = max((plain.width(self._figure(row)) for _, _, row in self._rows), default=float(px(_FIGURE)))
            left, right = px(_NAME), self.width() - figure - px(12)
            bar = theme.bar_colours(None)
            painter.setPen(colours.muted)
            if self._rows:
                plain.draw_right(painter, self.width() - 2, 0, px(_LINE), "Ruvex · kernel")
            for number, (label, depth, row) in enumerate(self._rows, start=1):
                top, high = number * px(_LINE), px(_LINE)
                face = bold if row.party.is_pool else plain
                painter.setPen(colours.ink)
                indent = px(12) * min(depth, 4)
                face.draw(painter, indent, top, high, face.elided(label, left - indent - px(6)))
                face.draw_right(painter, self.width() - 2, top, high, self._figure(row))
                scale = (right - left) / most
                middle = top + high / 2
                painter.fillRect(QRectF(left, middle - px(_BAR) / 2, row.mean * scale, px(_BAR)), bar.soft)
                painter.setPen(QPen(colours.muted, 1))
                low, top_of = min(row.measured) * scale, max(row.measured) * scale
                painter.drawLine(round(left + low), round(middle), round(left + top_of), round(middle))
                painter.setPen(QPen(colours.ink, 2))
                at = round(left + row.party.expected * scale)
                painter.drawLine(at, round(middle - px(8)), at, round(middle + px(8)))


class ProofPage(Page):
    """What is put to the kernel, the button that does it, and what was seen.

    Attributes
    ----------
    what
        A host or a pool.
    on
        On how many processors.
    start_button
        Begins it, or stops it.
    told, picture
        How far it is, or what is to be known; the figures.
    """

    wide = True

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._hint, self.told = QLabel(_HINT, self), QLabel(self)
        for label in (self._hint, self.told):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self._hint, "muted")
        self.what = Chooser(self)
        self.what.setAccessibleName("What is put to the kernel")
        self.start_button = QPushButton("Put it to the kernel", self)
        self.start_button.clicked.connect(self._on_start)
        self._bar = QProgressBar(self)
        self._bar.setTextVisible(False)
        self.picture = ProofPicture(theme, self)
        self.on = Chooser(self)
        self.on.setAccessibleName("On how many processors")
        here = processors_here()
        if here > 1:
            self.on.addItem(f"on all {here} processors", here)
        self.on.addItem("on one processor", 1)
        line = QHBoxLayout()
        line.addWidget(self.what, 1)
        line.addWidget(self.on)
        line.addWidget(self.start_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(10)
        column.addWidget(self._hint)
        column.addLayout(line)
        for widget in (self._bar, self.told, self.picture):
            column.addWidget(widget)
        column.addStretch(1)
        desk.many.changed.connect(self._show)
        desk.document.opened.connect(self._on_opened)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Proof on this machine"

    def enter(self) -> None:
        """List the hosts that are up and their pools; what is selected is chosen."""
        plan, selection = self._desk.document.plan, self._desk.selection
        chosen = selection.item.id if selection.item is not None else None
        was = chosen if chosen in plan.pool_index or chosen in plan.host_index else self.what.currentData()
        self.what.clear()
        for host in plan.hosts:
            if host.up:
                self.what.addItem(host.label, host.id)
        for pool in plan.pools:
            self.what.addItem(f"{pool.label}, what it gets", pool.id)
        self.what.setCurrentIndex(max(self.what.findData(was), 0) if self.what.count() else -1)
        self._show()

    def _on_start(self) -> None:
        many, plan = self._desk.many, self._desk.document.plan
        if many.running == "proof":
            many.stop()
            return
        chosen = self.what.currentData()
        try:
            if chosen is None:
                raise EditError("the plan has no host that is up")
            pool = chosen if chosen in plan.pool_index else None
            host = self._host_of(pool) if pool is not None else chosen
            scaled = scaled_to(divide(self._desk.document.site), self.on.currentData(), host=host, pool=pool)
        except EditError as error:
            self.told.setText(str(error))
            return
        many.prove(scaled, _SECONDS, _RUNS)

    def _host_of(self, pool: str) -> str | None:
        """Give the host on which most of a pool's guests are; None for the first."""
        site, counts = self._desk.document.site, dict[str, int]()
        inside = pools_within(site.plan, pool)
        for guest in site.plan.guests:
            host = site.host_of(guest.id)
            if guest.pool in inside and host is not None and site.is_on(guest.id):
                counts[host.id] = counts.get(host.id, 0) + 1
        return max(counts, key=lambda host: counts[host], default=None)

    def _on_opened(self) -> None:
        if self.isVisible():
            self.enter()

    def _show(self) -> None:
        many = self._desk.many
        is_running, proof = many.running == "proof", many.proof
        self._bar.setVisible(is_running)
        self._bar.setRange(0, many.progress[1] or 1)
        self._bar.setValue(many.progress[0])
        self.start_button.setText("Stop" if is_running else "Put it to the kernel")
        self.start_button.setEnabled(is_running or not many.running)
        self.picture.show_proof(None if is_running else proof, self._desk.document.plan)
        if is_running:
            self.told.setText("The kernel is at work…")
        elif many.problem:
            self.told.setText(many.problem)
        elif proof is not None:
            self.told.setText(self._said(proof))
        else:
            self.told.setText(f"It is the moment, {format_time(self._desk.document.plan.moment)}, as it would settle.")

    def _said(self, proof: Proof) -> str:
        far = proof.farthest
        label = getattr(find_item(self._desk.document.plan, far.party.item), "label", far.party.item)
        apart = abs(far.mean - far.party.expected) / proof.scaled.processors
        one = f"{proof.scaled.processors} processor{'s' if proof.scaled.processors != 1 else ''} of this machine"
        lines = [
            f"{one}, each for {format_cpu(proof.scaled.mhz)}; {proof.runs} runs of {proof.seconds:g} s. In each line"
            " the tick is what Ruvex says, the bar the mean of what the kernel gave, the line in it from run to run.",
            f"Farthest apart is {label}, by {apart * 100:.1f} % of the machine.",
        ]
        return "\n".join([*lines, *proof.told])

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self._hint, self.told, self.what, self.on, self.start_button):
            widget.setFont(self._theme.font(12))
        self.picture.updateGeometry()
