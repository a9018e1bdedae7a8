"""Right sizes and savings: a line a guest with its risk, and a button that sets it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QWidget

from ruvex.advise import RightSize
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.rooms import Sizes
from ruvex.desktop.state.steps import settings_step
from ruvex.desktop.views.room.section import Section, SectionCanvas
from ruvex.plan import ElasticMemory, format_memory
from ruvex.words import counted, label_of


class RiskCurve(SectionCanvas):
    """Draws how much of its time a guest works with more than a size, its size now, and the right one."""

    def __init__(self, bench: Bench, size: RightSize, parent: QWidget) -> None:
        super().__init__(bench.theme, None, parent)
        self._desk, self._size = bench.desk, size

    @property
    def high(self) -> float:
        """A small curve."""
        return 62

    def draw(self, painter: QPainter) -> None:
        """Draw the curve, hollow what is, solid what should be."""
        px, colours, size = self.theme.px, self.theme.colours, self._size
        plan = self._desk.document.plan
        if size.guest not in plan.guest_index:
            return
        guest = plan.guests[plan.guest_index[size.guest]]
        now = guest.memory.ceiling if isinstance(guest.memory, ElasticMemory) else guest.memory.size
        sizes = ("memory.size", "memory.ceiling")
        then = next((after for name, _, after in size.memory if name in sizes and after is not None), now)
        most = max(now, then, size.works_mib) * 1.05
        place = QRectF(px(4), px(4), self.width() - px(8), self.height() - px(26))

        def x(mib: float) -> float:
            return place.left() + place.width() * mib / most

        row = self._desk.look.division.position.get(size.guest, -1)
        top = int(self._desk.look.division.top_pool[row]) if row >= 0 else -1
        bar = self.theme.bar_colours(None if top < 0 else top)
        path = QPainterPath(QPointF(place.left(), place.bottom()))
        path.lineTo(QPointF(place.left(), place.top()))
        for mib, part in size.curve:
            path.lineTo(QPointF(x(mib), place.bottom() - part * place.height()))
        path.lineTo(QPointF(x(size.works_mib), place.bottom()))
        painter.fillPath(path, bar.soft)
        painter.setPen(QPen(colours.edge, 1))
        painter.drawLine(place.bottomLeft(), place.bottomRight())
        painter.setPen(QPen(colours.ink, 1.3, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(x(now), place.top()), QPointF(x(now), place.bottom()))
        if then != now:
            painter.setPen(QPen(colours.ink, 2))
            painter.drawLine(QPointF(x(then), place.top()), QPointF(x(then), place.bottom()))
        told = f"works with up to {format_memory(round(size.works_mib))}; has {format_memory(now)}"
        told += f", would do with {format_memory(then)}" if then != now else ""
        self.words(painter, place.left(), place.bottom() + px(4), place.width(), told)


class SizeSection(Section):
    """One guest that is not of the right size.

    Attributes
    ----------
    guest
        Its id.
    apply
        Sets what should change; None for who is of the right size and held by others.
    """

    def __init__(self, bench: Bench, size: RightSize, parent: QWidget) -> None:
        label = label_of(bench.desk.document.plan, size.guest)
        super().__init__(bench.theme, label, RiskCurve(bench, size, parent), parent)
        self.guest = size.guest
        self.apply: OfferButton | None = None
        if size.change[1]:
            step = settings_step(f"{label} to the right size", [size.change])
            self.apply = OfferButton(bench.desk, bench.theme, step, "Set the right size", "", self)
            self.left.addWidget(self.apply)
        told = WrappedLabel(bench.theme, 12, parent=self)
        text = size.text.removeprefix(f"{label} ")
        told.set_text(text[:1].upper() + text[1:] + ".")
        was, now = (100 * part for part in size.wait)
        risk = f"; short of memory {100 * size.risk[0]:.0f} % of its time now, {100 * size.risk[1]:.0f} % then"
        facts = WrappedLabel(bench.theme, 12, muted=True, parent=self)
        facts.set_text(f"waits {was:.2f} % now, {now:.2f} % then{risk if size.memory else ''}")
        self.right.addWidget(told)
        self.right.addWidget(facts)
        self.finish()


class SizesHead(Section):
    """How many are not of the right size, and what elastic memory saves."""

    def __init__(self, bench: Bench, sizes: Sizes | None, shown: int, parent: QWidget) -> None:
        super().__init__(bench.theme, "Right sizes, from the day as it is played", _Line(bench, parent), parent)
        self.told = WrappedLabel(bench.theme, 12.5, parent=self)
        if sizes is None:
            self.told.set_text("The day is being played\u2026")
        else:
            saved, count = sizes.savings, len(sizes.sizes)
            more = f"; the {shown} with most to give back are below" if count > shown else ""
            wrong = sum(bool(one.change[1]) for one in sizes.sizes)
            are = "is" if wrong == 1 else "are"
            text = f"{counted(wrong, 'guest')} {are} not of the right size{more}." if wrong else "Every size is right."
            if count > wrong:
                text += f" {counted(count - wrong, 'guest')} of the right size held below need by others."
            if saved.guests:
                mean, least = (format_memory(round(mib)) for mib in (saved.mean_mib, saved.least_mib))
                text += (
                    f" Elastic memory saves {mean} on average and {least} at least: {saved.more_guests} more guests of"
                    " their mean fixed size."
                )
            self.told.set_text(text)
        self.right.addWidget(self.told)
        self.finish()


class _Line(SectionCanvas):
    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(bench.theme, None, parent)

    @property
    def high(self) -> float:
        return 24

    def draw(self, painter: QPainter) -> None:
        text = "part of its time in which a guest works with more than a size; dashed: now"
        self.words(painter, 4, 2, self.width() - 8, text)
