"""The Kit station: where everything stands."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from deft_reach.app import theme
from deft_reach.app.canvas.elevation import Elevation
from deft_reach.app.canvas.reach_plan import ReachPlan
from deft_reach.app.kit.effect import PlanEffects
from deft_reach.app.kit.player_form import PlayerForm
from deft_reach.app.kit.tape_form import TapeForm
from deft_reach.app.panel import Panel
from deft_reach.app.reach.station import ViewSwitch
from deft_reach.app.station import Station
from deft_reach.app.tables import make_list
from deft_reach.core.kit import KINDS, KitError
from deft_reach.core.layouts import LAYOUTS
from deft_reach.core.limbs import LEFT, RIGHT
from deft_reach.core.motion.reach_table import reach_table, reach_words
from deft_reach.core.session import Session


class KitStation(Station):
    """Plan and elevation as linked drawings; beside them pieces, exact places and what a change does to the plans."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.plan = ReachPlan(session, laying_out=True)
        self.elevation = Elevation(session, self.plan)
        self._kit_rows: list[tuple[str, tuple[str, str]]] = []
        self.kits = QComboBox()
        self.kits.setAccessibleName("Kit of the plan in view")
        self.mirror = QPushButton("Mirror")
        self.mirror.setObjectName("quiet")
        self.mirror.setToolTip("Set everything up the other way round, for a player who leads with the other hand")
        self.pieces = QTableWidget()
        columns = ["", "piece", "height", "right hand", "left hand"]
        make_list(self.pieces, "Pieces of the kit", columns, wide=(3, 4))
        self.piece_name = QLineEdit()
        self.piece_name.setAccessibleName("Name of the piece")
        self.piece_name.setMaxLength(60)
        self.add = QPushButton("Add")
        self.add.setToolTip("Add a drum, a cymbal, a block or a pedal")
        menu = QMenu(self.add)
        for kind, words in KINDS.items():
            menu.addAction(words, lambda k=kind: self._edit(lambda: session.add_piece(k)))
        self.add.setMenu(menu)
        self.duplicate = QPushButton("Duplicate")
        self.remove = QPushButton("Remove")
        for button in (self.add, self.duplicate, self.remove):
            button.setObjectName("quiet")
        self.places = {axis: self._make_place(axis) for axis in "xyz"}
        self.facts = QLabel()
        self.facts.setWordWrap(True)
        self.facts.setObjectName("hint")
        self.facts.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.facts.setMinimumHeight(round(36 * theme.text_scale()))
        self.effects = PlanEffects(session)

        across, down = Qt.Orientation.Horizontal, Qt.Orientation.Vertical
        self.plan_panel = Panel("Floor plan", self.plan, "drag a piece; arrows move it 1 mm, with Shift 10 mm")
        heights = Panel("Heights", self.elevation, "drag up and down", ViewSwitch(self.elevation))
        drawings = self.split(down, "kitLeft", [self.plan_panel, heights], [470, 200], [1, 0])

        chooser = QHBoxLayout()
        chooser.setContentsMargins(10, 2, 10, 4)
        chooser.addWidget(self.kits, 1)
        chooser.addWidget(self.mirror)
        place = QGridLayout()
        place.setContentsMargins(10, 4, 10, 2)
        for column, (axis, text) in enumerate((("x", "right +"), ("y", "forward +"), ("z", "height"))):
            caption = QLabel(text)
            caption.setObjectName("caption")
            caption.setBuddy(self.places[axis])
            place.addWidget(caption, 0, column)
            place.addWidget(self.places[axis], 1, column)
        edit = QHBoxLayout()
        edit.setContentsMargins(10, 2, 10, 2)
        edit.addWidget(self.piece_name, 1)
        for button in (self.add, self.duplicate, self.remove):
            edit.addWidget(button)
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 0, 6)
        column.setSpacing(2)
        column.addLayout(chooser)
        column.addWidget(self.pieces, 1)
        column.addLayout(edit)
        column.addLayout(place)
        facts = QHBoxLayout()
        facts.setContentsMargins(10, 2, 10, 0)
        facts.addWidget(self.facts)
        column.addLayout(facts)
        self.tabs = QTabWidget()
        self.tabs.setDocumentMode(True)
        self.player_form = PlayerForm(session)
        self.tabs.addTab(body, "Pieces")
        self.tabs.addTab(self.player_form, "Player")
        self.tape_form = TapeForm(session)
        self.tabs.addTab(self.tape_form, "Tape")
        self.piece_panel = Panel("Kit and player", self.tabs)

        effects = Panel("What it does to the plans", self.effects, "against the kit as saved")
        side = self.split(down, "kitRight", [self.piece_panel, effects], [440, 230], [1, 1])
        self.fill(self.split(across, "kitAcross", [drawings, side], [700, 492], [1, 0]))

        self.piece_name.textEdited.connect(self._rename)
        self.piece_name.editingFinished.connect(session.end_merge)
        self.duplicate.clicked.connect(lambda: self._edit(lambda: session.duplicate_piece(session.piece or "")))
        self.remove.clicked.connect(lambda: self._edit(lambda: session.remove_piece(session.piece or "")))
        self.kits.activated.connect(self._choose_kit)
        self.mirror.clicked.connect(session.mirror_kit)
        self.pieces.currentCellChanged.connect(self._choose_piece)
        self.follow()

    def first_focus(self) -> QWidget:
        return self.plan

    def _make_place(self, axis: str) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setDecimals(0)
        box.setRange(0 if axis == "z" else -3000, 2500 if axis == "z" else 3000)
        box.setSuffix(" mm")
        box.setKeyboardTracking(False)
        words = {"x": "to the right of the seat", "y": "forward of the seat", "z": "above the floor"}
        box.setAccessibleName(f"Strike centre, {words[axis]}, in millimetres")
        box.setToolTip(f"Strike centre, {words[axis]}")
        box.valueChanged.connect(self._place)
        return box

    def _choose_kit(self, row: int) -> None:
        kind, id = self.kits.itemData(row)
        if kind == "layout":
            self.session.use_layout(id)
        else:
            self.session.change_plan(f"Kit “{self.kits.itemText(row)}”", kit=id)

    def _choose_piece(self, row: int, *_: int) -> None:
        if row >= 0:
            self.session.select_piece(self.pieces.item(row, 0).text())

    def _place(self) -> None:
        code = self.session.piece
        if code is not None:
            self.plan.place(code, *(self.places[axis].value() for axis in "xyz"))

    def _edit(self, act: Callable[[], None]) -> None:
        try:
            act()
        except KitError as error:
            self.facts.setText(str(error))

    def _rename(self, text: str) -> None:
        code = self.session.piece
        # A field that is empty for the moment is no name; and what is typed is not trimmed under the fingers.
        if code is not None and text.strip():
            self.session.change_piece(code, "Rename piece", "piece name", name=text)

    def refresh(self) -> None:
        session = self.session
        kit = session.kit
        rows = [(own.name, ("own", own.id)) for own in session.document.kits]
        known = {own.id for own in session.document.kits}
        rows += [(f"{name} (shipped layout)", ("layout", name)) for name in LAYOUTS if name not in known]
        with QSignalBlocker(self.kits):
            if rows != self._kit_rows:
                self._kit_rows = rows
                self.kits.clear()
                for text, data in rows:
                    self.kits.addItem(text, data)
            ids = [id for _, (_, id) in rows]
            self.kits.setCurrentIndex(ids.index(kit.id) if kit.id in ids else 0)
        self._fill_pieces()
        piece = kit.piece(session.piece) if session.piece else None
        for axis, box in self.places.items():
            with QSignalBlocker(box):
                box.setEnabled(piece is not None)
                if piece is not None and box.value() != getattr(piece, axis):
                    box.setValue(getattr(piece, axis))
        for widget in (self.piece_name, self.duplicate, self.remove):
            widget.setEnabled(piece is not None)
        self.duplicate.setEnabled(piece is not None and not piece.is_pedal)
        if self.piece_name.text() != (piece.name if piece else ""):
            self.piece_name.setText(piece.name if piece else "")
        self.piece_name.setPlaceholderText("" if piece else "no piece chosen")
        if piece is None:
            self.facts.setText("Choose a piece, in a drawing or in the list, to see and set exactly where it stands.")
        else:
            apart = ""
            if piece.is_pedal and kit.foot_pedals_apart < 1e6:
                apart = f" The pedals of that foot stand {kit.foot_pedals_apart:.0f} mm apart."
            kind = "" if piece.name == KINDS[piece.kind] else f" ({KINDS[piece.kind]})"
            self.facts.setText(
                f"{piece.name[:1].upper()}{piece.name[1:]}{kind}: {piece.diameter:.0f} mm across"
                f"{f', tilted {piece.tilt:.0f}°' if piece.tilt else ''}. "
                f"Struck within {piece.width:.0f} mm.{apart}"
            )

    def _fill_pieces(self) -> None:
        kit = self.session.kit
        struck = [p.code for p in kit if not p.is_pedal and p.kind != "bass"]
        table = reach_table(kit, self.session.player, struck)
        with QSignalBlocker(self.pieces):
            self.pieces.setRowCount(len(kit.pieces))
            for row, piece in enumerate(kit):
                cells = [piece.code, piece.name, f"{piece.z:.0f} mm", "", ""]
                if piece.code in struck:
                    for column, hand in ((3, RIGHT), (4, LEFT)):
                        reach, lean = table.reach[hand][piece.code], table.lean[hand][piece.code]
                        cells[column] = f"{reach * 100:.0f} % {reach_words(reach, lean)}"
                else:
                    cells[3] = "by foot"
                for column, text in enumerate(cells):
                    item = self.pieces.item(row, column)
                    if item is None:
                        item = QTableWidgetItem()
                        self.pieces.setItem(row, column, item)
                    if item.text() != text:
                        item.setText(text)
            codes = [piece.code for piece in kit]
            if self.session.piece in codes:
                self.pieces.setCurrentCell(codes.index(self.session.piece), 0)
            else:
                self.pieces.setCurrentCell(-1, -1)
                self.pieces.clearSelection()
