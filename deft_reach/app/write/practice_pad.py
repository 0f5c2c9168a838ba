"""The kit from above, to tap on: each hand strikes where its voices stand, with keys or the mouse, loud to soft."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final, NamedTuple

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QContextMenuEvent, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QMenu, QToolTip, QWidget

from deft_reach.app import theme
from deft_reach.app.widgets.plain_text import plain_tip
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.model.kit import Kit, Piece, piece_of, voice_name
from deft_reach.core.model.limbs import HAT_FOOT, KICK, LEFT, NAMES, RIGHT, SECOND_KICK
from deft_reach.core.model.usual_voices import usual_voices

#: The marks of a loud, a plain and a soft stroke, from the top of a pad and of the keys down.
LOUDNESS: Final = (">", "", ".")
#: Keys by rows, loud to soft, from the outside of the left hand to that of the right.
_ROWS: Final = (
    (Qt.Key.Key_Q, Qt.Key.Key_W, Qt.Key.Key_E, Qt.Key.Key_R, Qt.Key.Key_U, Qt.Key.Key_I, Qt.Key.Key_O, Qt.Key.Key_P),
    (
        Qt.Key.Key_A, Qt.Key.Key_S, Qt.Key.Key_D, Qt.Key.Key_F,
        Qt.Key.Key_J, Qt.Key.Key_K, Qt.Key.Key_L, Qt.Key.Key_Semicolon,
    ),
    (
        Qt.Key.Key_Z, Qt.Key.Key_X, Qt.Key.Key_C, Qt.Key.Key_V,
        Qt.Key.Key_M, Qt.Key.Key_Comma, Qt.Key.Key_Period, Qt.Key.Key_Slash,
    ),
)  # fmt: skip
#: Scan codes of those keys, the same on every keyboard layout (X11 keycodes of the usual key positions).
_SCAN_CODES: Final = (
    (24, 25, 26, 27, 30, 31, 32, 33),
    (38, 39, 40, 41, 44, 45, 46, 47),
    (52, 53, 54, 55, 58, 59, 60, 61),
)
_LETTERS: Final = "ASDFJKL;"
FOOT_KEYS: Final = {Qt.Key.Key_Space: KICK, Qt.Key.Key_G: HAT_FOOT, Qt.Key.Key_H: SECOND_KICK}
_FOOT_NAMES: Final = {KICK: "bass drum", HAT_FOOT: "hi-hat", SECOND_KICK: "2nd pedal"}
_FOOT_LETTERS: Final = {KICK: "Space", HAT_FOOT: "G", SECOND_KICK: "H"}


#: Room above the kit for the beats, and below it for the pedals (px).
TOP, FEET = 22.0, 40.0
#: Pieces are drawn so much smaller than they are, and stand up to so many times deeper.
SMALLER, DEEPER = 0.66, 1.7


class Pad(NamedTuple):
    """A pad: its limb, its voice (None for a foot's own), and the column of keys it has (−1 for a foot)."""

    limb: str
    voice: str | None
    column: int


class PracticePad(QWidget):
    """The kit's pieces light up when they are struck; the menu of a hand's place gives it another voice.

    A piece that both hands strike is theirs by halves; the upper third is loud, the lower one soft.
    """

    #: Limb, voice ("" for a foot's own) and marks.
    hit = Signal(str, str, str)

    def __init__(self, kit: Kit) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        set_scaled(self, QWidget.setMinimumHeight, 190)
        self.setAccessibleName("Practice pads: A S D F left hand, J K L ; right hand, space bass drum, G hi-hat foot")
        self.beat: int | None = None
        self.beats = 4
        self.pads: list[Pad] = []
        self._kit = kit
        self._lit: dict[int, str] = {}
        self._dark = QTimer(self)
        self._dark.setSingleShot(True)
        self._dark.setInterval(90)
        self._dark.timeout.connect(self._darken)
        self.use_kit(kit)

    def use_kit(self, kit: Kit) -> None:
        """Pads for this kit: voices that were chosen for pads stay where it has them."""
        if self.pads and kit == self._kit:
            return
        chosen = {(pad.limb, pad.column): pad.voice for pad in self.pads if pad.voice in kit.voices}
        self._kit = kit
        left, right = usual_voices(kit, LEFT), usual_voices(kit, RIGHT)
        pads = [Pad(LEFT, voice, 3 - k) for k, voice in enumerate(left)][::-1]
        pads += [Pad(RIGHT, voice, 4 + k) for k, voice in enumerate(right)]
        self.pads = [pad._replace(voice=chosen.get((pad.limb, pad.column), pad.voice)) for pad in pads]
        self.pads += [Pad(HAT_FOOT, None, -1)] if kit.of_kind("hi-hat") is not None else []
        self.pads += [Pad(KICK, None, -1)]
        self.pads += [Pad(SECOND_KICK, None, -1)] if kit.of_kind("second-bass-pedal") is not None else []
        self.setAccessibleDescription(". ".join(self.words(k) for k in range(len(self.pads))))
        self.update()

    def words(self, k: int) -> str:
        """What a pad is, and how it is hit."""
        pad = self.pads[k]
        if pad.voice is None:
            return f"{NAMES[pad.limb]}: {_FOOT_LETTERS[pad.limb]}"
        return (
            f"{NAMES[pad.limb]} on {voice_name(self._kit, pad.voice)}: {_LETTERS[pad.column]}; "
            "the key above it is loud, the one below soft"
        )

    # --- hitting ----------------------------------------------------------------------------------------------

    def strike(self, k: int, marks: str = "") -> None:
        """Hit a pad."""
        pad = self.pads[k]
        self._lit[k] = marks
        self._dark.start()
        self.update()
        self.hit.emit(pad.limb, pad.voice or "", marks)

    def light(self, limb: str, voice: str, marks: str) -> None:
        """Show a stroke that was played elsewhere."""
        for k, pad in enumerate(self.pads):
            if pad.voice == voice or (pad.voice is None and pad.limb == limb):
                self._lit[k] = marks
                self._dark.start()
                self.update()
                return

    def _darken(self) -> None:
        self._lit.clear()
        self.update()

    def _piece(self, code: str) -> Piece:
        return next(piece for piece in self._kit if piece.code == code)

    def _circles(self) -> dict[str, QRectF]:
        """Where the pieces that hands strike stand in the widget: smaller than they are, so that none hides another,
        and further back where there is room.
        """
        struck = [self._piece(code) for code in self._kit.struck]
        sizes = {p.code: SMALLER * max(p.diameter, 0.8 * p.width, 220.0) for p in struck}
        left, right = (end(p.x + side * sizes[p.code] / 2 for p in struck) for end, side in ((min, -1), (max, 1)))
        near, far = min(p.y for p in struck), max(p.y for p in struck)
        room = QRectF(4, TOP, self.width() - 8, self.height() - TOP - FEET - 6)
        scale = min(room.width() / (right - left), room.height() / (far - near + max(sizes.values())))
        deep = (room.height() - max(sizes.values()) * scale) / max(1.0, far - near)
        deep = max(scale, min(deep, DEEPER * scale))
        found = {}
        for piece in struck:
            size = sizes[piece.code] * scale
            x = room.center().x() + (piece.x - (left + right) / 2) * scale
            y = room.center().y() - (piece.y - (near + far) / 2) * deep
            found[piece.code] = QRectF(x - size / 2, y - size / 2, size, size)
        return found

    def _boxes(self, circles: dict[str, QRectF]) -> Iterator[QRectF]:
        hands = [pad for pad in self.pads if pad.voice is not None]
        feet = [pad for pad in self.pads if pad.voice is None]
        for pad in self.pads:
            if pad.voice is None:
                wide = (self.width() - 8) / max(1, len(feet))
                yield QRectF(4 + feet.index(pad) * wide, self.height() - FEET, wide - 4, FEET - 4)
                continue
            code = piece_of(pad.voice)
            circle = circles[code]
            there = [one for one in hands if one.voice is not None and piece_of(one.voice) == code]
            part = circle.width() / len(there)
            yield QRectF(circle.left() + there.index(pad) * part, circle.top(), part, circle.height())

    def box(self, k: int) -> QRectF:
        """Where a pad is."""
        return list(self._boxes(self._circles()))[k]

    def pad_at(self, at: QPointF) -> int | None:
        # What stands higher lies over what is below it.
        found = [k for k, box in enumerate(self._boxes(self._circles())) if box.contains(at)]
        return max(found, key=self._height, default=None)

    def _height(self, k: int) -> float:
        voice = self.pads[k].voice
        return 0.0 if voice is None else self._piece(piece_of(voice)).z

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.isAutoRepeat():
            return
        foot = FOOT_KEYS.get(Qt.Key(event.key()))
        wanted = next((k for k, pad in enumerate(self.pads) if pad.limb == foot), None)
        marks = ""
        for keys, codes, loudness in zip(_ROWS, _SCAN_CODES, LOUDNESS):
            key, code = Qt.Key(event.key()), event.nativeScanCode()
            column = codes.index(code) if code in codes else keys.index(key) if not code and key in keys else None
            if foot is None and column is not None:
                wanted = next((k for k, pad in enumerate(self.pads) if pad.column == column), None)
                marks = loudness
        if wanted is None:
            super().keyPressEvent(event)
        else:
            self.strike(wanted, marks)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        k = self.pad_at(event.position())
        if k is None or event.button() != Qt.MouseButton.LeftButton:
            return
        box = self.box(k)
        part = min(2, int(3 * (event.position().y() - box.top()) / box.height()))
        self.strike(k, LOUDNESS[part] if self.pads[k].voice is not None else "")

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        k = self.pad_at(QPointF(event.pos()))
        if k is not None and self.pads[k].voice is not None:
            self.voice_menu(k).popup(event.globalPos())

    def voice_menu(self, k: int) -> QMenu:
        """The voices a pad can have."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for voice in self._kit.voices:
            if voice != "bd" and not voice.endswith(":foot"):
                action = menu.addAction(f"{voice_name(self._kit, voice)} ({voice})")
                action.setCheckable(True)
                action.setChecked(voice == self.pads[k].voice)
                action.triggered.connect(lambda _=False, v=voice: self.set_voice(k, v))
        return menu

    def set_voice(self, k: int, voice: str) -> None:
        """Give a pad another voice."""
        self.pads[k] = self.pads[k]._replace(voice=voice)
        self.update()

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            k = self.pad_at(QPointF(event.pos()))
            again = "" if k is None or self.pads[k].voice is None else ". Right click for another voice"
            QToolTip.showText(event.globalPos(), plain_tip("" if k is None else self.words(k) + again), self)
            return True
        return super().event(event)

    # --- drawing ----------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        c = theme.colours()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for k in range(self.beats):
            on = self.beat is not None and self.beat % self.beats == k
            painter.setPen(QPen(QColor(c.muted), 1.2))
            painter.setBrush(QColor(c.ink if on else c.sheet))
            size = 11.0 if k == 0 else 8.0
            painter.drawEllipse(QRectF(8 + k * 22 - size / 2 + 5, 9 - size / 2, size, size))
        circles = self._circles()
        boxes = list(self._boxes(circles))
        used = {piece_of(pad.voice) for pad in self.pads if pad.voice is not None}
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for code, circle in circles.items():
            if code not in used:
                painter.setPen(QPen(QColor(c.line), 1.2))
                painter.drawEllipse(circle)
        for k in sorted(range(len(self.pads)), key=self._height):
            voice = self.pads[k].voice
            self._draw_pad(painter, k, boxes[k], boxes[k] if voice is None else circles[piece_of(voice)])
        painter.end()

    def _draw_pad(self, painter: QPainter, k: int, box: QRectF, shape: QRectF) -> None:
        """A hand's part (``box``) of a piece (``shape``) with its key, or a pedal with its own."""
        c, pad = theme.colours(), self.pads[k]
        colour = c.hand(pad.limb)
        fill = QColor(colour)
        fill.setAlphaF({">": 0.8, "": 0.5, ".": 0.25}[self._lit[k]] if k in self._lit else 0.1)
        painter.setPen(QPen(colour, 2.2 if self.hasFocus() else 1.4))
        painter.save()
        painter.setClipRect(box.adjusted(-2, -2, 2, 2))
        for brush in (QColor(c.sheet), fill):
            painter.setBrush(brush)
            if pad.voice is None:
                painter.drawRect(shape)
            else:
                painter.drawEllipse(shape)
        if pad.voice is not None and box.width() < shape.width() - 1 and box.left() > shape.left() + 1:
            painter.drawLine(box.topLeft(), box.bottomLeft())
        painter.restore()
        painter.setPen(QColor(c.ink))
        if pad.voice is None:
            painter.setFont(theme.lettering(10))
            words = f"{_FOOT_NAMES[pad.limb]} · {_FOOT_LETTERS[pad.limb]}"
            painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), words)
            return
        painter.setFont(theme.ui_font(10.5, bold=True))
        painter.drawText(box.adjusted(-6, 0, 6, -12), int(Qt.AlignmentFlag.AlignCenter), _LETTERS[pad.column])
        painter.setFont(theme.lettering(9.5))
        painter.setPen(QColor(c.muted))
        painter.drawText(box.adjusted(-8, 18, 8, 0), int(Qt.AlignmentFlag.AlignCenter), pad.voice)
