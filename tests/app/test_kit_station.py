"""The Kit station: both drawings, exact places, and what it does to every plan."""

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog

from deft_reach.app.kit.remove_piece_dialog import RemovePieceDialog
from deft_reach.core.model.player import Speeds
from tests.app.conftest import choose, click, drag


@pytest.fixture
def kit(window):
    QTest.keyClick(window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    assert window.station == "kit"
    return window


def test_a_piece_is_chosen_in_the_drawing_or_in_the_list(kit):
    station, session = kit.kit_station, kit.session
    click(station.plan, station.plan.to_px(*session.kit.piece("rd").body))
    assert session.piece == "rd"
    assert station.pieces_form.places["z"].value() == 940
    assert station.pieces_form.list.item(station.pieces_form.list.currentRow(), 0).text() == "rd"
    row = next(
        i for i in range(station.pieces_form.list.rowCount()) if station.pieces_form.list.item(i, 0).text() == "sn"
    )
    click(
        station.pieces_form.list.viewport(),
        QPointF(station.pieces_form.list.visualItemRect(station.pieces_form.list.item(row, 1)).center()),
    )
    assert session.piece == "sn" and station.pieces_form.places["x"].value() == -10


def test_arrow_keys_nudge(kit):
    station, session = kit.kit_station, kit.session
    station.plan.setFocus()
    click(station.plan, station.plan.to_px(*session.kit.piece("ft").body))
    x, y, z = (getattr(session.kit.piece("ft"), a) for a in "xyz")
    QTest.keyClick(station.plan, Qt.Key.Key_Left)
    QTest.keyClick(station.plan, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(station.plan, Qt.Key.Key_PageUp)
    piece = session.kit.piece("ft")
    assert (piece.x, piece.y, piece.z) == (x - 1, y + 10, z + 1)
    QTest.keyClicks(station.plan, "]")
    assert session.piece == "rd"
    QTest.keyClick(station.plan, Qt.Key.Key_Escape)
    assert session.piece is None


def test_heights_are_dragged_in_the_elevation(kit):
    station, session = kit.kit_station, kit.session
    elevation, piece = station.elevation, session.kit.piece("rd")
    at = elevation.to_px(piece.body[0] + 120, piece.body[1], piece.z)
    drag(elevation, at, at + QPointF(0, -60 * elevation.up))
    moved = session.kit.piece("rd")
    assert moved.z == pytest.approx(piece.z + 60, abs=6) and moved.x == pytest.approx(piece.x, abs=3)
    assert session.undo_label == "Move ride"


def test_plan_and_elevation_share_their_axis_to_the_pixel(kit):
    station = kit.kit_station
    for piece in kit.session.kit:
        assert station.plan.to_px(piece.x, piece.y).x() == station.elevation.to_px(piece.x, piece.y, piece.z).x()


def test_exact_values(kit):
    station, session = kit.kit_station, kit.session
    click(station.plan, station.plan.to_px(*session.kit.piece("ft").body))
    box = station.pieces_form.places["x"]
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "333")
    QTest.keyClick(box, Qt.Key.Key_Return)
    assert session.kit.piece("ft").x == 333


def test_what_it_does_to_the_plans_follows(kit, qtbot):
    station, session = kit.kit_station, kit.session
    effects = station.effects
    row = next(i for i in range(effects.rowCount()) if effects.item(i, 0).text() == "Storm at the breakwater")
    assert effects.item(row, 2).text() == "108 BPM"
    tom = session.kit.piece("ft")
    drag(station.plan, station.plan.to_px(*tom.body), station.plan.to_px(tom.body[0] - 120, tom.body[1] + 60))
    qtbot.waitUntil(lambda: "(+" in effects.item(row, 2).text(), timeout=5000)


def test_an_untouched_kit_shows_no_difference_whatever_is_done_to_the_plans(kit, qtbot):
    effects, session = kit.kit_station.effects, kit.session
    row = next(i for i in range(effects.rowCount()) if effects.item(i, 0).text() == session.plan.name)
    session.strokes.set_text("/16 R@ft R@c1 R@ft R@c1 R@ft R@c1 R@ft R@c1", merge=None)
    qtbot.waitUntil(lambda: "BPM" in effects.item(row, 2).text() and "104" not in effects.item(row, 2).text())
    QTest.qWait(50)
    cells = [effects.item(i, k).text() for i in range(effects.rowCount()) for k in range(2, 5)]
    assert not [text for text in cells if "(" in text]


def test_mirror_is_one_step(kit):
    session, before = kit.session, kit.session.kit
    choose(kit.kit_station.bar.setup_menu, "Mirrored")
    assert session.kit == before.mirror() and session.player.handedness == "left"
    assert "left-handed" in kit.header.about.text()
    QTest.keyClick(kit, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.kit == before and session.player.handedness == "right"


def test_another_kit_from_the_list(kit):
    station, session = kit.kit_station, kit.session
    station.bar.kits.setFocus()
    row = next(i for i in range(station.bar.kits.count()) if station.bar.kits.itemText(i).startswith("large"))
    while station.bar.kits.currentIndex() != row:
        QTest.keyClick(station.bar.kits, Qt.Key.Key_Down if station.bar.kits.currentIndex() < row else Qt.Key.Key_Up)
    assert session.kit.id == "large"
    assert session.document.kit("pit") is not None, "the other plans keep theirs"
    assert any(p.kit == "pit" for p in session.document.plans)


def test_a_place_that_cannot_be_is_refused_with_a_reason(kit):
    station, session = kit.kit_station, kit.session
    before = session.kit
    station.plan.place("ft", 5000, 0)
    assert session.kit == before and "x is 5000 mm; expected -3000 mm to 3000 mm" in station.plan.problem


def test_pieces_are_added_duplicated_renamed_and_removed(kit):
    station, session = kit.kit_station, kit.session
    before = session.kit
    splash = next(a for a in station.pieces_form.add.menu().actions() if a.text() == "splash cymbal")
    splash.trigger()
    assert session.piece == "sp" and session.kit.piece("sp") is not None
    station.pieces_form.name.setFocus()
    station.pieces_form.name.selectAll()
    QTest.keyClicks(station.pieces_form.name, "lantern")
    assert session.kit.piece("sp").name == "lantern"
    QTest.mouseClick(station.pieces_form.duplicate, Qt.MouseButton.LeftButton)
    assert session.piece == "sp1" and len(session.kit.pieces) == len(before.pieces) + 2
    QTest.mouseClick(station.pieces_form.remove, Qt.MouseButton.LeftButton)
    assert session.kit.piece("sp1") is None and session.piece is None
    while session.undo_label is not None:
        QTest.keyClick(kit, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.kit == before


def test_a_second_pedal_of_a_kind_is_refused_with_a_reason(kit):
    station, session = kit.kit_station, kit.session
    before = session.kit
    next(a for a in station.pieces_form.add.menu().actions() if a.text() == "bass pedal").trigger()
    assert session.kit == before and "there can be only one bass pedal" in station.pieces_form.facts.text()


def test_a_removed_piece_makes_its_strokes_impossible_and_the_text_stays(kit):
    session = kit.session
    text = session.text
    session.select_piece("hh")
    QTest.mouseClick(kit.kit_station.pieces_form.remove, Qt.MouseButton.LeftButton)
    dialog = QApplication.activeModalWidget()
    assert isinstance(dialog, RemovePieceDialog)
    QTest.mouseClick(dialog.leave, Qt.MouseButton.LeftButton)
    assert session.text == text and session.report.impossible
    assert kit.header.ease.value.text() == "impossible"


def test_overlap_is_shown_while_a_piece_is_dragged(kit):
    station, session = kit.kit_station, kit.session
    plan = station.plan
    tom, snare = session.kit.piece("ft"), session.kit.piece("sn")
    start = plan.to_px(*tom.body)
    drag(plan, start, plan.to_px(snare.x + 150, snare.y), release=False)
    plan.grab()
    assert "snare and floor tom overlap by" in plan.touching_words()
    assert "overlap" in plan.accessibleDescription()
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=start.toPoint())


@pytest.mark.parametrize("drawing", ["plan", "elevation"])
@pytest.mark.parametrize("gone", ["undone", "removed", "another kit"])
def test_a_drag_whose_piece_is_gone_ends_in_nothing(kit, qtbot, drawing, gone):
    """While it is held over another piece that it overlaps, it is taken out of the kit from under the mouse."""
    station, session = kit.kit_station, kit.session
    session.kits.duplicate_piece("ft")
    code = session.piece
    canvas = station.plan if drawing == "plan" else station.elevation
    piece, other = session.kit.piece(code), session.kit.piece("ft")
    places = [canvas.to_px(*p.body, *(() if drawing == "plan" else (p.z,))) for p in (piece, other)]
    with qtbot.captureExceptions() as caught:
        drag(canvas, *places, release=False)
        qtbot.waitUntil(lambda: "overlap" in station.plan.touching_words())
        station.plan.grab()
        if gone == "undone":
            session.undo()
            session.undo()
        elif gone == "removed":
            session.kits.remove_piece(code)
        else:
            session.kits.use_layout("compact")
        for _ in range(2):
            station.plan.grab(), canvas.grab(), station.plan.in_words()
            QTest.mouseMove(canvas, (places[1] + QPointF(9, 5)).toPoint())
        QTest.mouseRelease(canvas, Qt.MouseButton.LeftButton, pos=places[1].toPoint())
        QApplication.processEvents()
    assert not caught, caught[0]
    assert session.kit.piece(code) is None


def test_the_players_measures_change_everything_live(kit):
    station, session = kit.kit_station, kit.session
    station.tabs.setCurrentWidget(station.player_form)
    form = station.player_form
    before = session.report.summary.tempo_limit
    box = form.lengths["stature_mm"]
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "1600")
    QTest.keyClick(box, Qt.Key.Key_Return)
    assert session.player.stature_mm == 1600 and "shoulders" in form.words.text()
    form.skill.setFocus()
    form.skill.selectAll()
    QTest.keyClicks(form.skill, "0.55")
    QTest.keyClick(form.skill, Qt.Key.Key_Return)
    assert session.report.summary.tempo_limit > 1.1 * before
    assert "advanced speed" in form.words.text()
    session.kits.change_player("Speeds", speeds=Speeds(left=1.2))
    assert "by the log: left hand × 1.20" in form.words.text()
    form.hand.setFocus()
    QTest.keyClick(form.hand, Qt.Key.Key_Down)
    form.hand.activated.emit(form.hand.currentIndex())
    assert session.player.handedness == "left"


def test_measures_nobody_can_have_are_refused_at_the_field(kit):
    station, session = kit.kit_station, kit.session
    station.tabs.setCurrentWidget(station.player_form)
    before = session.player
    grip = station.player_form.lengths["grip_mm"]
    grip.setFocus()
    grip.selectAll()
    QTest.keyClicks(grip, "480")
    QTest.keyClick(grip, Qt.Key.Key_Return)
    assert session.player.grip_mm != 480 and session.player.stick_length_mm == before.stick_length_mm
    assert "the stick is only 406 mm long" in station.player_form.words.text()


@pytest.mark.parametrize(
    ("chosen", "name", "start"),
    [
        ("Floor plan, A4 (*.pdf)", "kit.pdf", b"%PDF-"),
        ("Floor plan, Letter (*.svg)", "kit", b"<?xml"),
        ("Pieces as a table (*.csv)", "kit.csv", b"code,name"),
        ("The whole kit (*.json)", "kit", b"{"),
    ],
)
def test_the_kit_is_taken_to_the_room(kit, tmp_path, monkeypatch, chosen, name, start):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / name), chosen))
    QTest.keyClick(kit, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    (written,) = tmp_path.glob("kit*.*")
    assert written.read_bytes().startswith(start) and "is written" in kit.notice.text.text()


def test_an_export_that_cannot_be_written_says_so(kit, tmp_path, monkeypatch):
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "no" / "kit.svg"), ""))
    QTest.keyClick(kit, Qt.Key.Key_E, Qt.KeyboardModifier.ControlModifier)
    assert "cannot be written" in kit.notice.text.text()


def test_boxes_are_empty_where_no_piece_is_chosen(kit):
    kit = kit.kit_station
    kit.session.select_piece(None)
    form, shape = kit.pieces_form, kit.shape_form
    assert {box.text() for box in form.places.values()} == {""} and form.name.text() == ""
    kit.tabs.setCurrentWidget(shape)
    assert {box.text() for box in (shape.diameter, shape.shell_depth, shape.strike, shape.tilt)} == {""}
    assert shape.kind.currentText() == ""
    kit.session.select_piece("sn")
    assert shape.diameter.text() and shape.tilt.text().endswith("°") and shape.kind.currentData() == "snare"
    kit.tabs.setCurrentWidget(form)
    assert form.places["z"].text().startswith(str(round(kit.session.kit.piece("sn").z)))


def test_the_plan_does_not_move_under_the_hand(kit):
    """Dragged far out the drawing takes it in; dragged back again nothing else moves."""
    kit = kit.kit_station
    plan, session = kit.plan, kit.session
    session.select_piece("bl")
    piece = session.kit.piece("bl")
    still = [plan.to_px(0, 0), plan.to_px(100, 100)]
    drag(plan, plan.to_px(piece.x, piece.y), plan.to_px(piece.x - 60, piece.y))
    assert [plan.to_px(0, 0), plan.to_px(100, 100)] == still
    session.kits.move_piece("bl", piece.x + 700, piece.y, piece.z)
    wide = [plan.to_px(0, 0), plan.to_px(100, 100)]
    assert wide != still, "the whole kit is in view"
    piece = session.kit.piece("bl")
    drag(plan, plan.to_px(piece.x, piece.y), plan.to_px(piece.x - 500, piece.y))
    assert [plan.to_px(0, 0), plan.to_px(100, 100)] == wide


def test_lists_stay_where_they_are_while_pieces_are_moved(kit, qtbot):
    kit = kit.kit_station
    table, effects = kit.pieces_form.list, kit.effects
    for shown in (table, effects):
        shown.verticalScrollBar().setValue(shown.verticalScrollBar().maximum())
    at = table.verticalScrollBar().value(), effects.verticalScrollBar().value()
    assert at[0] > 0 and at[1] > 0
    kit.session.select_piece("bl")
    at = table.verticalScrollBar().value(), at[1]
    piece = kit.session.kit.piece("bl")
    drag(kit.plan, kit.plan.to_px(piece.x, piece.y), kit.plan.to_px(piece.x - 30, piece.y + 20))
    qtbot.wait(200)
    assert (table.verticalScrollBar().value(), effects.verticalScrollBar().value()) == at
    kit.session.kits.add_piece("block")
    qtbot.wait(200)
    rows = table.rowCount()
    assert table.currentRow() == rows - 1 and effects.verticalScrollBar().value() == at[1]
    assert table.visualItemRect(table.item(rows - 1, 0)).bottom() <= table.viewport().height() + 1
