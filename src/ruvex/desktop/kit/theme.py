"""Colours, fonts and measures of the desktop, light and dark; every widget takes them from here."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from PyQt6.QtCore import QObject, QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QFont, QFontDatabase, QFontMetricsF, QPainter, QPalette, QPixmap
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.texts import Face

BASE_PX: Final = 13
_FAMILIES: Final = ("Inter", "Inter Variable", "Noto Sans", "Cantarell", "DejaVu Sans")
_HATCH_SIZE: Final = 6


@dataclass(frozen=True)
class Colours:
    """One set of colours. Hues tell top-level pools apart and mean nothing else."""

    paper: QColor
    band_row: QColor
    host_row: QColor
    panel: QColor
    line: QColor
    edge: QColor
    foot: QColor
    grid: QColor
    ink: QColor
    muted: QColor
    faint: QColor
    head: QColor
    head_text: QColor
    head_muted: QColor
    head_line: QColor
    cpu_curve: QColor
    memory_curve: QColor
    selected: QColor
    selected_line: QColor
    field: QColor
    supply: QColor
    supply_free: QColor
    aside: QColor
    hues: tuple[QColor, ...]
    lone: QColor


def _c(text: str) -> QColor:
    return QColor(text)


LIGHT: Final = Colours(
    paper=_c("#f6f4ef"), band_row=_c("#ebe7dd"), host_row=_c("#ddd7c9"), panel=_c("#fdfbf6"), line=_c("#d8d2c5"),
    edge=_c("#8f897b"), foot=_c("#6f6a5d"), grid=_c("#e3dfd5"),
    ink=_c("#22303c"), muted=_c("#4d5862"), faint=_c("#566069"),
    head=_c("#1e2b37"), head_text=_c("#f4f1ea"), head_muted=_c("#a3b0bb"), head_line=_c("#3a4956"),
    cpu_curve=_c("#7fb8d4"), memory_curve=_c("#dca765"),
    selected=_c("#fffefa"), selected_line=_c("#22303c"), field=_c("#ffffff"),
    supply=_c("#59636d"), supply_free=_c("#d3d2cc"), aside=_c("#b4b6b5"),
    hues=tuple(map(_c, ("#2a6f91", "#7a56a8", "#b06c22", "#3f7d5a", "#a84a6d", "#4a62b0", "#7d6b1f", "#2f8080"))),
    lone=_c("#717983"),
)  # fmt: skip

DARK: Final = Colours(
    paper=_c("#171d23"), band_row=_c("#212932"), host_row=_c("#2b343e"), panel=_c("#1c232b"), line=_c("#35404b"),
    edge=_c("#707c87"), foot=_c("#7f8b96"), grid=_c("#28313a"),
    ink=_c("#e8e6e0"), muted=_c("#a4b0ba"), faint=_c("#94a0aa"),
    head=_c("#10151a"), head_text=_c("#f0ede6"), head_muted=_c("#93a1ad"), head_line=_c("#303b46"),
    cpu_curve=_c("#7fb8d4"), memory_curve=_c("#dca765"),
    selected=_c("#2a343f"), selected_line=_c("#d8d5cc"), field=_c("#12171c"),
    supply=_c("#9aa4ad"), supply_free=_c("#39434d"), aside=_c("#566069"),
    hues=tuple(map(_c, ("#5fa8ca", "#a98ad6", "#d99a55", "#74b58d", "#d98aa8", "#8fa2e6", "#c2ae5c", "#66b8b6"))),
    lone=_c("#9aa2ab"),
)  # fmt: skip


CONTRAST: Final = Colours(
    paper=_c("#ffffff"), band_row=_c("#e6e6e6"), host_row=_c("#cfcfcf"), panel=_c("#ffffff"), line=_c("#000000"),
    edge=_c("#000000"), foot=_c("#000000"), grid=_c("#b0b0b0"),
    ink=_c("#000000"), muted=_c("#1c1c1c"), faint=_c("#4a4a4a"),
    head=_c("#000000"), head_text=_c("#ffffff"), head_muted=_c("#ffffff"), head_line=_c("#ffffff"),
    cpu_curve=_c("#ffffff"), memory_curve=_c("#ffe08a"),
    selected=_c("#fff7c2"), selected_line=_c("#000000"), field=_c("#ffffff"),
    supply=_c("#202020"), supply_free=_c("#c8c8c8"), aside=_c("#8a8a8a"),
    hues=tuple(map(_c, ("#004a77", "#4b1d8f", "#7a3d00", "#0b5a2c", "#7d0a40", "#1a2f9c", "#554700", "#005757"))),
    lone=_c("#3a3a3a"),
)  # fmt: skip


def blend(colour: QColor, other: QColor, part: float) -> QColor:
    """Mix two colours; ``part`` of the second, 0 to 1."""
    return _blend(colour.rgb(), other.rgb(), part)


@lru_cache(maxsize=256)
def _blend(one: int, other: int, part: float) -> QColor:
    first, second = QColor(one).getRgbF()[:3], QColor(other).getRgbF()[:3]
    return QColor.fromRgbF(*(a + (b - a) * part for a, b in zip(first, second, strict=True)))


@lru_cache(maxsize=256)
def _luminance(rgb: int) -> float:
    """Give how bright a colour is, 0 to 1, as WCAG 2 reckons contrast."""
    found = QColor.fromRgb(rgb).getRgbF()[:3]
    parts = (part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in found if part is not None)
    return sum(weight * part for weight, part in zip((0.2126, 0.7152, 0.0722), parts, strict=True))


def legible(ground: QColor, *inks: QColor) -> QColor:
    """Give the one of some inks that stands out most from a ground."""
    light = _luminance(ground.rgb())

    def contrast(ink: QColor) -> float:
        one, other = light + 0.05, _luminance(ink.rgb()) + 0.05
        return max(one, other) / min(one, other)

    return max(inks, key=contrast)


COVERS: Final = ("balloon", "squeezed", "spilled", "self-paged")
"""The textures of what makes good missing memory, in the order in which it is drawn."""


@lru_cache(maxsize=256)
def _texture(kind: str, rgb: int, ratio: float) -> QPixmap:
    size = round(_HATCH_SIZE * ratio)
    pixmap = QPixmap(size, size)
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(Qt.GlobalColor.transparent)
    with painting(pixmap) as painter:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, kind in ("missing", "balloon"))
        painter.setPen(QColor.fromRgb(rgb))
        end = _HATCH_SIZE
        if kind == "balloon":
            painter.drawEllipse(QPointF(end / 2, end / 2), 1.7, 1.7)
        elif kind == "squeezed":
            for x in (1, 4):
                painter.drawLine(x, 0, x, end)
        elif kind == "self-paged":
            for y in (1, 4):
                painter.drawLine(0, y, end, y)
        elif kind == "spilled":
            for at in (1, 4):
                painter.drawLine(at, 0, at, end)
                painter.drawLine(0, at, end, at)
        else:
            for offset in (-end, 0, end):
                painter.drawLine(offset, end, offset + end, 0)
    return pixmap


def texture_brush(kind: str, colour: QColor, ratio: float) -> QBrush:
    """Give the texture of ``missing`` (wanted and not delivered) or of one of ``COVERS``."""
    brush = QBrush()
    brush.setTexture(_texture(kind, colour.rgb(), ratio))
    return brush


@dataclass(frozen=True)
class BarColours:
    """The colours of one row's bars: solid for promised, soft for won by shares, edge for outlines and text."""

    solid: QColor
    soft: QColor
    edge: QColor


@lru_cache(maxsize=64)
def _bar_colours(base: int, paper: int, ink: int) -> BarColours:
    solid = QColor.fromRgb(base)
    return BarColours(solid, blend(solid, QColor.fromRgb(paper), 0.5), blend(solid, QColor.fromRgb(ink), 0.25))


class Theme(QObject):
    """The colours, fonts and measures in force.

    Attributes
    ----------
    colours
        The colours now.
    is_dark
        Whether they are the dark ones.
    scale
        Text size against the standard of 13 px.

    Signals
    -------
    changed()
        Colours or text size are others now; repaint and lay out again.
    """

    changed = pyqtSignal()

    def __init__(self, *, follow_desktop: bool = True) -> None:
        super().__init__()
        self.colours = LIGHT
        self.is_dark = False
        self.scale = 1.0
        self._mode = "desktop"
        families = set(QFontDatabase.families())
        self._family = next((name for name in _FAMILIES if name in families), QApplication.font().family())
        self._faces: dict[tuple[float, bool], Face] = {}
        hints = QApplication.styleHints()
        if follow_desktop and hints is not None:
            hints.colorSchemeChanged.connect(self._on_desktop_changed)
        self._on_desktop_changed()

    @property
    def mode(self) -> str:
        """``desktop``, ``light``, ``dark`` or ``contrast``: what was asked for."""
        return self._mode

    def set_mode(self, mode: str) -> None:
        """Choose ``light``, ``dark`` or ``contrast``, or follow the ``desktop``."""
        self._mode = mode
        self._on_desktop_changed()

    def set_scale(self, scale: float) -> None:
        """Set the text size against the standard; 1.5 is 150 %."""
        if scale != self.scale:
            self.scale = scale
            self._faces.clear()
            self.changed.emit()

    def face(self, px: float = BASE_PX, *, bold: bool = False) -> Face:
        """Give a font of a size in pixels at 100 %, its figures of equal width, ready to draw with."""
        face = self._faces.get((px, bold))
        if face is None:
            font = QFont(self._family)
            font.setPixelSize(max(8, round(px * self.scale)))
            font.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
            font.setFeature(QFont.Tag.fromString("tnum") or QFont.Tag(), 1)
            face = self._faces[px, bold] = Face(font)
        return face

    def font(self, px: float = BASE_PX, *, bold: bool = False) -> QFont:
        """Give the font of a face, for widgets that draw their text themselves."""
        return self.face(px, bold=bold).font

    def metrics(self, px: float = BASE_PX, *, bold: bool = False) -> QFontMetricsF:
        """Give the measures of a font."""
        return self.face(px, bold=bold).metrics

    def px(self, length: float) -> int:
        """Scale a length in pixels with the text."""
        return round(length * self.scale)

    def size(self, width: float, height: float) -> QSize:
        """Scale a size in pixels with the text."""
        return QSize(self.px(width), self.px(height))

    def palette(self) -> QPalette:
        """Give the colours for widgets that draw themselves, such as choices."""
        colours, palette = self.colours, QPalette()
        for role, colour in (
            (QPalette.ColorRole.Window, colours.panel), (QPalette.ColorRole.WindowText, colours.ink),
            (QPalette.ColorRole.Base, colours.field), (QPalette.ColorRole.Text, colours.ink),
            (QPalette.ColorRole.Button, colours.panel), (QPalette.ColorRole.ButtonText, colours.ink),
            (QPalette.ColorRole.PlaceholderText, colours.muted), (QPalette.ColorRole.ToolTipBase, colours.panel),
            (QPalette.ColorRole.ToolTipText, colours.ink),
            (QPalette.ColorRole.Highlight, colours.ink), (QPalette.ColorRole.HighlightedText, colours.paper),
        ):  # fmt: skip
            palette.setColor(role, colour)
        return palette

    def bar_colours(self, hue: int | None) -> BarColours:
        """Give the bar colours of a top-level pool by its number, or of a guest beside the pools (None)."""
        base = self.colours.lone if hue is None else self.colours.hues[hue % len(self.colours.hues)]
        return _bar_colours(base.rgb(), self.colours.paper.rgb(), self.colours.ink.rgb())

    def _on_desktop_changed(self) -> None:
        hints = QApplication.styleHints()
        desktop_dark = hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark
        wishes = hints.accessibility() if hints is not None else None
        strong = wishes is not None and wishes.contrastPreference() == Qt.ContrastPreference.HighContrast
        self.is_dark = self._mode == "dark" or (self._mode == "desktop" and desktop_dark and not strong)
        is_contrast = self._mode == "contrast" or (self._mode == "desktop" and strong)
        self.colours = CONTRAST if is_contrast else DARK if self.is_dark else LIGHT
        self.changed.emit()
