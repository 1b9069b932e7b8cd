"""How controls look: a style of our own that draws from the palette alone.

A theme is then a palette and nothing is dressed: style sheets dress every widget that they reach one by one, at a tenth of a
millisecond each, whether anybody sees it or not.  Sizes that controls take and what they draw stand here; fonts and grounds
of what has a name stand in ``appearance``.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any, NamedTuple

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPalette, QPen
from PySide6.QtWidgets import (
    QLineEdit,
    QProxyStyle,
    QStyle,
    QStyleOption,
    QStyleOptionButton,
    QStyleOptionFrame,
    QStyleOptionHeader,
    QStyleOptionProgressBar,
    QStyleOptionSlider,
    QStyleOptionToolButton,
    QWidget,
)

from bibulon.app.kit.appearance import ACCENT, ALARM, ALARM_GROUND, EDGE, ON_ACCENT, PANEL, RAISED, SOFT

__all__ = ["Look"]

log = logging.getLogger(__name__)

_P, _C, _X = QStyle.PrimitiveElement, QStyle.ControlElement, QStyle.ComplexControl
_S, _T = QStyle.SubControl, QStyle.ContentsType
_HAS = QStyle.StateFlag
# As numbers: flags of Python's own take microseconds each to ask for, and every button asks for six.
_ENABLED, _ON, _FOCUS = _HAS.State_Enabled.value, _HAS.State_On.value, _HAS.State_HasFocus.value
_OVER, _SUNKEN = _HAS.State_MouseOver.value, _HAS.State_Sunken.value

INK = QPalette.ColorRole.ButtonText
ROUND = 4.0  # px, of corners
BAR, LEAST = 10, 28  # px: how wide a scroll bar is, and how long its handle at least
ARROW = 22  # px at the right of a box to choose in
LEAST_LINE = 18  # px, of a button's words

# What is added to the words of a button by its name [px]: across, and down with the border.
_ROOM = {"": (22, 12), "tab": (20, 11), "step": (2, 8), "flat": (10, 10), "boardact": (24, 12)}


# Frames by their name: ground, edge, its width [px], and how round the corners are [px]; without a ground only the focus shows.
_FRAMES: dict[str, tuple[QPalette.ColorRole | None, QPalette.ColorRole, float, float]] = {
    "over": (RAISED, ACCENT, 2.0, 8.0), "raised": (RAISED, ACCENT, 1.0, ROUND), "card": (RAISED, RAISED, 0.0, 8.0),
    "row": (None, ACCENT, 2.0, 6.0), "openrow": (RAISED, ACCENT, 2.0, 6.0),
}  # fmt: skip

_Draw = Callable[[Any, QPainter, QWidget | None], None]
_Drawn = dict[Any, tuple[type, _Draw]]


def _nothing(_option: Any, _painter: QPainter, _widget: QWidget | None) -> None:
    """Draw nothing."""


_NOTHING: tuple[Any, Any] = ((), _nothing)


class _Face(NamedTuple):
    """How a button looks now: its fill, None for none, its border's colour and width [px], the colour of its words."""

    fill: QColor | None
    edge: QColor | None
    width: float
    ink: QColor


def _rounded(
    painter: QPainter, rect: QRect, fill: QColor | None, edge: QColor | None, width: float, radius: float = ROUND
) -> None:  # fmt: skip
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(edge, width) if edge is not None else Qt.PenStyle.NoPen)
    painter.setBrush(fill if fill is not None else Qt.BrushStyle.NoBrush)
    inset = width / 2 if edge is not None else 0.0
    painter.drawRoundedRect(QRectF(rect).adjusted(inset, inset, -inset, -inset), radius, radius)
    painter.restore()


def _face(name: str, option: Any, widget: QWidget | None) -> _Face:
    """Return how a button of a name looks in a state."""
    colours, state = option.palette, option.state.value
    enabled, on, focus = state & _ENABLED, state & _ON, state & _FOCUS
    colour = colours.color
    if name == "tab":
        lit = on or (enabled and state & _OVER)
        return _Face(None, colour(ACCENT) if focus else None, 2.0, colour(INK if lit else SOFT))
    if name == "flat":
        if on:
            accent = colour(ACCENT)
            return _Face(accent, accent, 2.0 if focus else 1.0, colour(ON_ACCENT))
        return _Face(None, colour(ACCENT) if focus else None, 2.0, colour(INK if enabled else SOFT))
    if name == "boardact":
        return _Face(colour(RAISED), colour(ACCENT if focus else EDGE), 3.0 if focus else 2.0, colour(INK))
    step = widget.property("state") if name == "step" and widget is not None else None
    if (enabled or on) and (on or name == "act" or step == "now"):
        accent = colour(ACCENT)
        return _Face(accent, accent, 2.0 if focus else 1.0, colour(ON_ACCENT if enabled else SOFT))
    edge = ACCENT if focus or (enabled and state & _OVER) else EDGE
    ink = SOFT if not enabled else ACCENT if step == "done" else INK
    return _Face(
        colour(PANEL if state & _SUNKEN else RAISED), colour(edge), 2.0 if focus else 1.0, colour(ink)
    )


def _drawn(draw: _Draw, option: Any, painter: QPainter, widget: QWidget | None) -> bool:
    """Draw, and return whether it came to its end: an error that went on into Qt would end the program."""
    try:
        draw(option, painter, widget)
    except Exception:
        log.exception("a control could not be drawn")
        return False
    return True


def _named(widget: QWidget | None) -> str:
    return widget.objectName() if widget is not None else ""


class Look(QProxyStyle):
    """Ours where it says something, Fusion's else.

    What Qt hands over is told by its kind before it is read: a wrapper that anything holds on to for a moment too long (a
    debugger, a traceback) is met again in the next option that comes to lie at its place.
    """

    def __init__(self) -> None:
        super().__init__("Fusion")
        self._controls: _Drawn = {
            _C.CE_PushButton: (QStyleOptionButton, self._push), _C.CE_HeaderSection: (QStyleOption, self._section),
            _C.CE_HeaderEmptyArea: (QStyleOption, self._section), _C.CE_HeaderLabel: (QStyleOptionHeader, self._heading),
            _C.CE_Splitter: (QStyleOption, self._split), _C.CE_ProgressBarGroove: (QStyleOption, self._groove),
            _C.CE_ProgressBarContents: (QStyleOptionProgressBar, self._done), _C.CE_ProgressBarLabel: (QStyleOption, _nothing),
        }  # fmt: skip
        self._primitives: _Drawn = {
            _P.PE_PanelLineEdit: (QStyleOptionFrame, self._line), _P.PE_FrameLineEdit: (QStyleOption, _nothing),
            _P.PE_Frame: (QStyleOption, self._frame), _P.PE_PanelScrollAreaCorner: (QStyleOption, _nothing),
            _P.PE_FrameFocusRect: (QStyleOption, self._focus), _P.PE_IndicatorCheckBox: (QStyleOption, self._tick),
            _P.PE_IndicatorItemViewItemCheck: (QStyleOption, self._tick), _P.PE_IndicatorRadioButton: (QStyleOption, self._tick_round),
        }  # fmt: skip
        self._complex: _Drawn = {
            _X.CC_ToolButton: (QStyleOptionToolButton, self._tool), _X.CC_ComboBox: (QStyleOption, self._choice),
            _X.CC_ScrollBar: (QStyleOptionSlider, self._bar),
        }  # fmt: skip

    # -- what Qt asks

    def polish(self, what: Any) -> Any:
        told = super().polish(what)
        if isinstance(what, QLineEdit) and what.hasFrame():
            what.setTextMargins(4, 0, 4, 0)
        return told

    def drawControl(self, element: Any, option: Any, painter: QPainter, widget: Any = None) -> None:
        kind, draw = self._controls.get(element, _NOTHING)
        if not (isinstance(option, kind) and _drawn(draw, option, painter, widget)):
            super().drawControl(element, option, painter, widget)

    def drawPrimitive(self, element: Any, option: Any, painter: QPainter, widget: Any = None) -> None:
        kind, draw = self._primitives.get(element, _NOTHING)
        if not (isinstance(option, kind) and _drawn(draw, option, painter, widget)):
            super().drawPrimitive(element, option, painter, widget)

    def drawComplexControl(self, control: Any, option: Any, painter: QPainter, widget: Any = None) -> None:
        kind, draw = self._complex.get(control, _NOTHING)
        if not (isinstance(option, kind) and _drawn(draw, option, painter, widget)):
            super().drawComplexControl(control, option, painter, widget)

    def sizeFromContents(self, kind: Any, option: Any, size: QSize, widget: Any = None) -> QSize:
        if kind in (_T.CT_PushButton, _T.CT_ToolButton):
            name = _named(widget)
            across, down = _ROOM.get(name, _ROOM[""])
            return QSize(size.width() + across, max(size.height(), LEAST_LINE) + down)
        if kind == _T.CT_ComboBox:
            return QSize(size.width() + 14 + ARROW, max(size.height(), LEAST_LINE) + 12)
        if kind == _T.CT_LineEdit:
            return QSize(size.width() + 6, size.height() + 10)
        if kind == _T.CT_ScrollBar and isinstance(option, QStyleOptionSlider):
            upright = option.orientation == Qt.Orientation.Vertical
            return QSize(BAR, size.height()) if upright else QSize(size.width(), BAR)
        told = super().sizeFromContents(kind, option, size, widget)
        return QSize(told.width() + 8, told.height() + 6) if kind == _T.CT_HeaderSection else told

    def subControlRect(self, control: Any, option: Any, part: Any, widget: Any = None) -> QRect:
        if control == _X.CC_ScrollBar and isinstance(option, QStyleOptionSlider):
            return _bar_rect(option, part)
        if control == _X.CC_ComboBox and part == _S.SC_ComboBoxEditField:
            return option.rect.adjusted(8, 1, -ARROW - 2, -1)
        if control == _X.CC_ComboBox and part == _S.SC_ComboBoxArrow:
            return QRect(option.rect.right() - ARROW, option.rect.top(), ARROW, option.rect.height())
        return super().subControlRect(control, option, part, widget)

    # -- controls

    def _push(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        label = QStyleOptionButton(option)
        label.rect = option.rect.adjusted(3, 0, -3, -3 if _named(widget) == "tab" else 0)
        self._button(_C.CE_PushButtonLabel, label, option, painter, widget)

    def _tool(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        self._button(_C.CE_ToolButtonLabel, QStyleOptionToolButton(option), option, painter, widget)

    def _button(
        self, element: QStyle.ControlElement, label: Any, option: Any, painter: QPainter, widget: Any
    ) -> None:
        """Draw a button's face, and on it its words as ``label`` has them, in the face's ink."""
        name = _named(widget)
        face = _face(name, option, widget)
        self._bevel(name, face, option, painter)
        label.palette = _inked(option.palette, face.ink)
        super().drawControl(element, label, painter, widget)

    def _bevel(self, name: str, face: _Face, option: Any, painter: QPainter) -> None:
        radius = 8.0 if name == "boardact" else ROUND
        if face.fill is not None or face.edge is not None:
            _rounded(painter, option.rect, face.fill, face.edge, face.width, radius)
        state = option.state.value
        focus = state & _FOCUS
        if focus and face.fill is not None and face.fill == face.edge:  # a ring within, else nobody sees it
            _rounded(painter, option.rect.adjusted(2, 2, -2, -2), None, face.ink, 1.0, ROUND - 1)
        if name == "tab" and state & _ON and not focus:
            rect = option.rect
            painter.fillRect(rect.left(), rect.bottom() - 2, rect.width(), 3, option.palette.color(ACCENT))

    def _choice(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        face = _face("", option, widget)
        _rounded(painter, option.rect, face.fill, face.edge, face.width)
        x, y = option.rect.right() - 11.0, option.rect.center().y() + 0.5
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(face.ink, 1.4))
        painter.drawPolyline([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])
        painter.restore()

    def _line(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        colours = option.palette
        if option.lineWidth <= 0:  # in a cell of a table, or in a box to choose in
            painter.fillRect(option.rect, colours.color(RAISED))
        elif widget is not None and widget.property("wrong") == "true":
            _rounded(painter, option.rect, colours.color(ALARM_GROUND), colours.color(ALARM), 2.0)
        elif _named(widget) == "boardline":
            _rounded(painter, option.rect, colours.color(RAISED), colours.color(ACCENT), 2.0, 6.0)
        else:
            focus = option.state & _HAS.State_HasFocus
            edge = colours.color(ACCENT if focus else EDGE)
            _rounded(painter, option.rect, colours.color(RAISED), edge, 2.0 if focus else 1.0)

    def _frame(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        focus = option.state & _HAS.State_HasFocus
        known = _FRAMES.get(_named(widget))
        if known is not None:
            ground, edge, width, radius = known
            fill = option.palette.color(ground) if ground is not None else None
            shown = option.palette.color(edge) if width and (fill is not None or focus) else None
            _rounded(painter, option.rect, fill, shown, width, radius)
            return
        painter.setPen(option.palette.color(ACCENT if focus else EDGE))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(option.rect.adjusted(0, 0, -1, -1))

    def _focus(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        _rounded(painter, option.rect, None, option.palette.color(ACCENT), 1.0, 2.0)

    def _tick(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        self._mark(option, painter, 3.0)
        if not option.state & (_HAS.State_On | _HAS.State_NoChange):
            return
        whole = [(0.24, 0.52), (0.43, 0.72), (0.78, 0.3)]
        points = whole if option.state & _HAS.State_On else [(0.25, 0.5), (0.75, 0.5)]
        box = option.rect.adjusted(1, 1, -1, -1)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(option.palette.color(ON_ACCENT), 1.8))
        painter.drawPolyline(
            [QPointF(box.x() + a * box.width(), box.y() + b * box.height()) for a, b in points]
        )
        painter.restore()

    def _tick_round(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        self._mark(option, painter, option.rect.width() / 2)
        if option.state & _HAS.State_On:
            _rounded(
                painter, option.rect.adjusted(5, 5, -5, -5), option.palette.color(ON_ACCENT), None, 0.0, 9.0
            )

    def _mark(self, option: Any, painter: QPainter, radius: float) -> None:
        colours = option.palette
        on = option.state & (_HAS.State_On | _HAS.State_NoChange)
        enabled = option.state & _HAS.State_Enabled
        over = option.state & (_HAS.State_MouseOver | _HAS.State_HasFocus)
        fill = colours.color((ACCENT if enabled else SOFT) if on else RAISED)
        edge = colours.color(ACCENT if enabled and (on or over) else SOFT)
        _rounded(painter, option.rect.adjusted(1, 1, -1, -1), fill, edge, 1.0, radius)

    def _section(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        rect = option.rect
        painter.fillRect(rect, option.palette.color(PANEL))
        painter.fillRect(rect.left(), rect.bottom(), rect.width(), 1, option.palette.color(EDGE))

    def _heading(self, option: Any, painter: QPainter, widget: QWidget | None) -> None:
        label = QStyleOptionHeader(option)
        label.rect = option.rect.adjusted(2, 0, -2, 0)
        label.palette = _inked(option.palette, option.palette.color(SOFT))
        super().drawControl(_C.CE_HeaderLabel, label, painter, widget)

    def _split(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        rect, upright = option.rect, option.rect.height() > option.rect.width()
        middle = rect.center()
        line = QRect(middle.x(), rect.top(), 1, rect.height()) if upright else QRect(rect.left(), middle.y(), rect.width(), 1)  # fmt: skip
        painter.fillRect(line, option.palette.color(EDGE))

    def _groove(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        painter.fillRect(option.rect, option.palette.color(EDGE))

    def _done(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        rect, span = QRect(option.rect), option.maximum - option.minimum
        if span > 0:
            rect.setWidth(round(rect.width() * (option.progress - option.minimum) / span))
        painter.fillRect(rect, option.palette.color(ACCENT))

    def _bar(self, option: Any, painter: QPainter, _widget: QWidget | None) -> None:
        if option.maximum <= option.minimum:
            return
        over = option.state & _HAS.State_MouseOver
        rect = _bar_rect(option, _S.SC_ScrollBarSlider).adjusted(1, 1, -1, -1)
        path = QPainterPath()
        path.addRoundedRect(QRectF(rect), ROUND, ROUND)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillPath(path, option.palette.color(SOFT if over else EDGE))
        painter.restore()


def _inked(colours: QPalette, ink: QColor) -> QPalette:
    told = QPalette(colours)
    told.setColor(QPalette.ColorRole.ButtonText, ink)
    return told


def _bar_rect(option: Any, part: Any) -> QRect:
    """Return where a part of a scroll bar lies; it has no arrows."""
    rect, upright = option.rect, option.orientation == Qt.Orientation.Vertical
    room = rect.height() if upright else rect.width()
    span = option.maximum - option.minimum
    long = room if span <= 0 else min(max(room * option.pageStep // (span + option.pageStep), LEAST), room)
    at = QStyle.sliderPositionFromValue(
        option.minimum, option.maximum, option.sliderPosition, room - long, option.upsideDown
    )
    spans = {
        _S.SC_ScrollBarGroove: (0, room), _S.SC_ScrollBarSlider: (at, long),
        _S.SC_ScrollBarSubPage: (0, at), _S.SC_ScrollBarAddPage: (at + long, room - at - long),
    }  # fmt: skip
    if part not in spans:
        return QRect()
    start, length = spans[part]
    if upright:
        return QRect(rect.left(), rect.top() + start, rect.width(), length)
    return QRect(rect.left() + start, rect.top(), length, rect.height())
