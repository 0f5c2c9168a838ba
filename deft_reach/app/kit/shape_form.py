"""What the chosen piece is: its kind, sizes and tilt, its zones, and for pedals how far they stand apart."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app.shell.station import Listener
from deft_reach.app.text import units
from deft_reach.app.text.words import say
from deft_reach.app.widgets.decimal_box import DecimalBox
from deft_reach.app.widgets.hint_label import HintLabel
from deft_reach.app.widgets.length_box import LengthBox
from deft_reach.app.widgets.plain_text import PlainLabel, plain_tip
from deft_reach.app.widgets.styled import set_scaled
from deft_reach.core.model.kit import SPLIT_FOOT_MM, ZONES, KitError, Piece
from deft_reach.core.model.piece_kinds import PEDALS, PIECE_KINDS, piece_kind
from deft_reach.core.session import Session

ZONE_FIELDS = (
    ("dx", "right +", -1000.0, 1000.0),
    ("dy", "forward +", -1000.0, 1000.0),
    ("dz", "up +", -1000.0, 1000.0),
    ("width", "struck within", 10.0, 600.0),
)
#: Zones a piece can have.
NAMED_ZONES = tuple(name for name in ZONES if name != "foot")


class ShapeForm(Listener):
    """Everything about one piece that is not its place."""

    def __init__(self, session: Session) -> None:
        # Long: widgets in the order in which they are laid out.
        super().__init__(session)
        self._shown: tuple[str, tuple[str, ...]] | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 6)
        form = QFormLayout()
        form.setVerticalSpacing(5)
        self.title = PlainLabel()
        self.kind = QComboBox()
        self.kind.setAccessibleName("Kind of the piece; another one takes its place, strokes and all")
        for kind, words in PIECE_KINDS.items():
            self.kind.addItem(words, kind)
        form.addRow(self.title, self.kind)
        self.diameter = self._length("Across", "Diameter", 20, 1200)
        self.shell_depth = self._length("Shell depth", "Depth of the shell", 0, 1000)
        self.strike = self._length("Struck within", "Width of the place where it is struck", 10, 600)
        self.tilt = DecimalBox()
        self.tilt.setDecimals(1)
        self.tilt.setRange(-90, 90)
        self.tilt.setSuffix("°")
        self.tilt.setToolTip("Leaning towards the player")
        self.tilt.setAccessibleName("Tilt towards the player, in degrees")
        self.apart = self._length("Pedals apart", "From this pedal to the other one of that foot", 0, 1500)
        sizes = QHBoxLayout()
        left, right = QFormLayout(), QFormLayout()
        for part, rows in (
            (left, (("Across", self.diameter), ("Shell depth", self.shell_depth))),
            (right, (("Struck within", self.strike), ("Tilt", self.tilt))),
        ):
            part.setVerticalSpacing(5)
            for text, box in rows:
                part.addRow(text, box)
            sizes.addLayout(part)
        column.addLayout(form)
        column.addLayout(sizes)
        self.pedal_row = QWidget()
        pedal = QFormLayout(self.pedal_row)
        pedal.setContentsMargins(0, 0, 0, 0)
        pedal.addRow("Pedals apart", self.apart)
        column.addWidget(self.pedal_row)
        self.zones_head = QHBoxLayout()
        self.zones_title = PlainLabel("Zones, from the strike centre")
        self.zones_title.setObjectName("panelTitle")
        self.add_zone = QPushButton("Add zone")
        self.add_zone.setObjectName("quiet")
        self.zone_name = QComboBox()
        self.zone_name.setAccessibleName("Zone to add")
        self.zones_head.addWidget(self.zones_title, 1)
        self.zones_head.addWidget(self.zone_name)
        self.zones_head.addWidget(self.add_zone)
        column.addLayout(self.zones_head)
        self.zones = QGridLayout()
        self.zones.setVerticalSpacing(3)
        column.addLayout(self.zones)
        self.zone_boxes: dict[str, dict[str, LengthBox]] = {}
        self.zone_removers: dict[str, QPushButton] = {}
        column.addStretch(1)
        self.words = HintLabel()
        column.addWidget(self.words)

        self.kind.activated.connect(self._exchange)
        self.diameter.valueChanged.connect(
            lambda mm: self._try(lambda c: session.kits.resize_piece(c, mm, f"size:{c}"))
        )
        self.shell_depth.valueChanged.connect(lambda mm: self._change("Depth", "depth", mm))
        self.strike.valueChanged.connect(lambda mm: self._change("Strike width", "width", mm))
        self.tilt.valueChanged.connect(lambda degrees: self._change("Tilt", "tilt", degrees))
        self.apart.valueChanged.connect(
            lambda mm: self._try(lambda c: session.kits.space_pedals(c, mm, f"apart:{c}"))
        )
        for box in (self.diameter, self.shell_depth, self.strike, self.tilt, self.apart):
            box.editingFinished.connect(session.end_merge)
        self.add_zone.clicked.connect(
            lambda: self._try(lambda c: session.kits.add_zone(c, self.zone_name.currentText()))
        )
        self.follow()

    def _length(self, text: str, meaning: str, low: float, high: float) -> LengthBox:
        box = LengthBox(meaning, low, high, 5.0)
        box.setKeyboardTracking(False)
        box.refused.connect(self._refuse)
        return box

    # --- editing ----------------------------------------------------------------------------------------------

    def _try(self, act: Callable[[str], None]) -> None:
        code = self.session.piece
        if code is None:
            return
        try:
            act(code)
        except KitError as error:
            self.refresh()
            self._refuse(units.text_of(error))

    def _change(self, label: str, field: str, value: float) -> None:
        self._try(
            lambda code: self.session.kits.change_piece(
                code, f"{label} of {code}", f"{field}:{code}", **{field: value}
            )
        )

    def _exchange(self) -> None:
        self._try(lambda code: self.session.kits.exchange_piece(code, self.kind.currentData()))

    def _set_zone(self, name: str, field: str, value: float) -> None:
        def act(code: str) -> None:
            piece = self.session.kit.piece(code)
            zone = piece.zone(name) if piece is not None else None
            if zone is not None:
                changes: dict[str, Any] = {field: value}
                self.session.kits.set_zone(code, replace(zone, **changes), f"zone:{code}:{name}:{field}")

        self._try(act)

    def _refuse(self, why: str) -> None:
        self._say(why, "error")

    def _say(self, text: str, tone: str) -> None:
        say(self.words, text, tone)

    # --- showing ----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        kit = self.session.kit
        piece = kit.piece(self.session.piece) if self.session.piece else None
        self.title.setText(piece.name if piece is not None else "Piece")
        boxes = self.diameter, self.shell_depth, self.strike, self.tilt
        for widget in (self.kind, *boxes, self.add_zone, self.zone_name):
            widget.setEnabled(piece is not None)
        for length in (self.diameter, self.shell_depth, self.strike):
            length.set_empty(piece is None)
        self.tilt.setSuffix("" if piece is None else "°")
        if piece is None:
            with QSignalBlocker(self.kind):
                self.kind.setCurrentIndex(-1)
            self.tilt.lineEdit().clear()
            self.pedal_row.hide()
            self._lay_zones(None)
            self._say("Choose a piece in a drawing or in the list to change what it is.", "hint")
            return
        with QSignalBlocker(self.kind):
            self.kind.setCurrentIndex(self.kind.findData(piece.kind))
        for box, field in zip(boxes, ("diameter", "depth", "width", "tilt")):
            with QSignalBlocker(box):
                if box.value() != getattr(piece, field) or not box.text():
                    box.setValue(getattr(piece, field))
        has_shell = piece_kind(piece.kind).has_shell
        self.shell_depth.setEnabled(has_shell)
        self.tilt.setEnabled(piece.kind not in PEDALS and piece.kind != "bass")
        both = piece.kind in ("hat-pedal", "second-bass-pedal") and kit.foot_pedals_apart < 1e6
        self.pedal_row.setVisible(both)
        self._lay_zones(piece)
        if both:
            with QSignalBlocker(self.apart):
                self.apart.setValue(kit.foot_pedals_apart)
            close = kit.foot_pedals_apart < SPLIT_FOOT_MM
            limit = units.length(SPLIT_FOOT_MM)
            self._say(
                f"One foot can hold both pedals down: they stand closer than {limit}."
                if close
                else f"One foot cannot hold both pedals down: that takes less than {limit}.",
                "hint",
            )
        elif piece.is_pedal:
            self._say("A pedal is struck with the foot, so it has no zones.", "hint")
        else:
            self._say("A zone is written after the piece: " + ", ".join(self._voices(piece)) + ".", "hint")

    @staticmethod
    def _voices(piece: Piece) -> list[str]:
        return [piece.code, *(f"{piece.code}:{zone.name}" for zone in piece.zones)]

    def _lay_zones(self, piece: Piece | None) -> None:
        """A row a zone; laid anew only when the zones are others."""
        names = () if piece is None else tuple(zone.name for zone in piece.zones)
        key = ("" if piece is None else piece.code, names)
        pedal = piece is None or piece.is_pedal or piece.kind == "bass"
        for widget in (self.zones_title, self.add_zone, self.zone_name):
            widget.setVisible(not pedal)
        if key != self._shown:
            self._shown = key
            while (item := self.zones.takeAt(0)) is not None:
                old = item.widget()
                if old is not None:
                    old.deleteLater()
            self.zone_boxes, self.zone_removers = {}, {}
            free = [name for name in NAMED_ZONES if name not in names]
            self.zone_name.clear()
            self.zone_name.addItems(free)
            for column, text in enumerate(("", *(f[1] for f in ZONE_FIELDS))):
                if names and text:
                    caption = PlainLabel(text)
                    caption.setObjectName("caption")
                    self.zones.addWidget(caption, 0, column)
            for row, name in enumerate(names, 1):
                self.zones.addWidget(PlainLabel(name), row, 0)
                self.zone_boxes[name] = {}
                for column, (field, text, low, high) in enumerate(ZONE_FIELDS, 1):
                    box = LengthBox(f"{name}, {text}", low, high, 5.0)
                    box.setKeyboardTracking(False)
                    box.refused.connect(self._refuse)
                    box.valueChanged.connect(lambda v, n=name, f=field: self._set_zone(n, f, v))
                    box.editingFinished.connect(self.session.end_merge)
                    self.zones.addWidget(box, row, column)
                    self.zone_boxes[name][field] = box
                gone = QPushButton("×")
                gone.setObjectName("quiet")
                gone.setAccessibleName(f"Remove the zone {name}")
                gone.setToolTip(plain_tip(f"Remove the zone {name}"))
                set_scaled(gone, QWidget.setMaximumWidth, 34)
                gone.clicked.connect(lambda _=False, n=name: self._try(lambda c: self.session.kits.remove_zone(c, n)))
                self.zones.addWidget(gone, row, 5, Qt.AlignmentFlag.AlignRight)
                self.zone_removers[name] = gone
        self.add_zone.setEnabled(piece is not None and self.zone_name.count() > 0)
        for zone in piece.zones if piece is not None else ():
            for field, box in self.zone_boxes.get(zone.name, {}).items():
                with QSignalBlocker(box):
                    if box.value() != round(getattr(zone, field), 2):
                        box.setValue(getattr(zone, field))
