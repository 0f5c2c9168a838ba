"""Shape, comparison, several kits, set-up and tape on the Kit station, by clicks, drags and keys."""

import json
from dataclasses import replace

import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QFileDialog, QInputDialog

from deft_reach.app.kit.remove_piece_dialog import RemovePieceDialog
from deft_reach.app.text import units
from deft_reach.core import layout
from deft_reach.core.document import read_unfinished
from deft_reach.core.model import piece_kinds
from deft_reach.core.model.kit import Dimension, Reading, Spot
from deft_reach.core.model.layouts import new_piece
from deft_reach.core.model.piece_kinds import PieceKind
from deft_reach.core.model.sticking_habits import NO_HABITS
from deft_reach.formats.document import dump_kit, load_kit
from tests.app.conftest import choose, click, drag, enter, pick


@pytest.fixture
def station(window):
    window.go("kit")
    return window.kit_station


def press(button) -> None:
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def undo(window) -> None:
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)


# --- shape ------------------------------------------------------------------------------------------------------


@pytest.fixture
def shape(station):
    station.session.select_piece("rd")
    station.tabs.setCurrentWidget(station.shape_form)
    return station.shape_form


def test_exact_sizes(shape, window):
    before = window.session.kit
    enter(shape.diameter, '22"')
    ride = window.session.kit.piece("rd")
    assert ride.diameter == pytest.approx(558.8)
    assert ride.zone("bell").dx == pytest.approx(before.piece("rd").zone("bell").dx * 22 / 18)
    enter(shape.strike, "150")
    enter(shape.tilt, "9")
    ride = window.session.kit.piece("rd")
    assert (ride.width, ride.tilt) == (150, 9)
    while window.session.undo_label:
        undo(window)
    assert window.session.kit == before


def test_zones_are_moved_added_and_removed(shape, window):
    piece = lambda: window.session.kit.piece("rd")  # noqa: E731
    enter(shape.zone_boxes["bell"]["dy"], "120")
    assert piece().zone("bell").dy == 120
    shape.zone_name.setCurrentText("rim")
    press(shape.add_zone)
    assert "rd:rim" in window.session.kit.voices and "rim" in shape.zone_boxes
    press(shape.zone_removers["edge"])
    assert piece().zone("edge") is None and "rd:edge" not in shape.words.text()
    undo(window)
    assert piece().zone("edge") is not None and "edge" in shape.zone_boxes


def test_a_piece_becomes_another_kind_and_keeps_its_strokes(shape, window):
    text = window.session.text
    shape.kind.setFocus()
    shape.kind.setCurrentIndex(shape.kind.findData("china"))
    shape.kind.activated.emit(shape.kind.currentIndex())
    piece = window.session.kit.piece("rd")
    assert piece.kind == "china" and piece.name == "china" and window.session.text == text
    assert "becomes china" in window.session.undo_label


def test_a_size_that_cannot_be_is_refused_at_the_field(shape, window):
    before = window.session.kit
    enter(shape.diameter, "3 m")
    assert window.session.kit == before and "Diameter: 3 m cannot be; expected 20 to 1200 mm" in shape.words.text()


def test_pedals_that_one_foot_can_hold(shape, window):
    window.session.select_piece("jp")
    enter(shape.apart, "140")
    assert window.session.kit.foot_pedals_apart == pytest.approx(140, abs=0.2)
    assert "One foot can hold both" in shape.words.text()
    enter(shape.apart, "300")
    assert window.session.kit.foot_pedals_apart == pytest.approx(300, abs=0.2)
    assert "cannot hold both" in shape.words.text()


# --- several kits -----------------------------------------------------------------------------------------------


def test_a_kit_is_duplicated_renamed_and_removed(station, window, monkeypatch):
    session = window.session
    before = session.document
    choose(station.bar.menu, "Duplicate")
    assert session.kit.name == "Pit kit 2" and session.plan.kit == session.kit.id != before.plans[0].kit
    assert session.kit.pieces == before.kit("pit").pieces
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("Quay kit", True))
    choose(station.bar.menu, "Rename")
    assert session.kit.name == "Quay kit" and station.bar.kits.currentText() == "Quay kit"
    session.kits.remove_kit("pit")
    assert session.kit.id == "pit" and all(k.name != "Quay kit" for k in session.document.kits)
    while session.undo_label:
        undo(window)
    assert session.document == before


def test_removing_a_kit_gives_its_plans_another(station, window):
    session = window.session
    players = [p.id for p in session.document.plans if p.kit == "pit"]
    station.bar.fill_menu()
    remove = next(a for a in station.bar.menu.actions() if a.text().startswith("Remove"))
    action = remove.menu().actions()[0]
    action.trigger()
    assert all(session.document.plan(id).kit == "hall" for id in players)
    assert [k.id for k in session.document.kits] == ["hall"]


def test_a_kit_goes_out_alone_and_comes_in_again(station, window, tmp_path, monkeypatch):
    path = tmp_path / "pit.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(path), "The whole kit (*.json)"))
    choose(station.bar.menu, "Export")
    assert load_kit(path.read_bytes()) == window.session.kit
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(path), ""))
    choose(station.bar.menu, "Bring in")
    assert window.session.kit.name == "Pit kit 2" and len(window.session.document.kits) == 3


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("kit.json", b"{", "not JSON"),
        ("kit.json", json.dumps({"id": "a", "name": "a", "pieces": [{"code": "sn"}]}).encode(), "lacks"),
        ("kit.json", dump_kit(layout("five")).replace(b'"width": 180', b'"width": -1'), "kit.pieces"),
        ("kit.csv", b"code\n", "the heading lacks"),
        ("none.json", None, "No such file"),
    ],
)
def test_a_kit_that_cannot_be_brought_in_says_why(station, window, tmp_path, name, data, words):
    before = window.session.document
    if data is not None:
        (tmp_path / name).write_bytes(data)
    window.exchange.open_kit(tmp_path / name)
    assert window.session.document == before and words in window.notice.text.text()


def test_comparison_shows_outlines_and_changes_what_the_list_is_against(station, window, qtbot):
    station.tabs.setCurrentWidget(station.compare_form)
    form = station.compare_form
    assert "No difference" in form.words.text() and station.plan.ghost == window.session.kit
    session = window.session
    session.kits.move_piece("ft", 350, 450)
    form.refresh()
    assert form.table.item(0, 0).text() == "floor tom" and form.table.item(0, 1).text() == "50 mm left"
    row = form.other_box.findText("Rehearsal hall")
    form.other_box.setCurrentIndex(row)
    form.other_box.activated.emit(row)
    assert station.plan.ghost.name == "Rehearsal hall"
    names = [form.table.item(r, 0).text() for r in range(form.table.rowCount())]
    assert "buoy bell" in names and "against “Rehearsal hall”" in station.effects_panel.note.text()
    qtbot.waitUntil(lambda: "was impossible" in station.effects.item(4, 3).text(), timeout=5000)
    station.tabs.setCurrentWidget(station.pieces_form)
    assert station.plan.ghost is None and "as saved" in station.effects_panel.note.text()


def test_schools_are_one_step(station, window):
    before = window.session.kit
    choose(station.bar.setup_menu, "Hi-hat on the lead side")
    assert window.session.kit.hat_side == 1 and "lead side" in window.session.undo_label
    undo(window)
    assert window.session.kit == before


def test_a_school_the_kit_cannot_follow_says_why(station, window):
    window.session.kits.remove_piece("rd")
    choose(station.bar.setup_menu, "Ride beside")
    assert "no ride cymbal" in station.pieces_form.facts.text()


def test_a_kit_without_a_snare_says_so_where_the_pieces_are(station, window):
    window.session.select_piece("sn")
    answer(lambda: press(station.pieces_form.remove), "leave")
    assert "There is no snare" in station.pieces_form.facts.text()
    assert station.pieces_form.facts.objectName() == "error"
    undo(window)
    assert "no snare" not in station.pieces_form.facts.text()


# --- measuring on screen ----------------------------------------------------------------------------------------


def at(station, code: str) -> QPointF:
    piece = station.session.kit.piece(code)
    return station.plan.to_px(piece.x, piece.y)


def test_a_tape_between_two_points_with_height(station, window):
    session = window.session
    press(station.tape_buttons.measure)
    drag(station.plan, at(station, "sn"), at(station, "ft"))
    assert station.tape.current == Dimension(Spot("sn"), Spot("ft"))
    # (410, −125, −30): 429 mm level, 430 along the tape.
    assert station.plan_panel.note.text() == "snare to floor tom: 430 mm (429 mm level, 30 mm down)"
    assert session.kit.dimensions == (), "nothing is kept unasked"
    press(station.tape_buttons.keep)
    assert session.kit.dimensions == (Dimension(Spot("sn"), Spot("ft")),)
    assert "snare to floor tom: 430 mm" in station.plan.in_words()
    undo(window)
    assert session.kit.dimensions == ()


def test_a_kept_line_follows_its_piece_and_is_removed(station, window):
    session = window.session
    session.kits.keep_dimension(Dimension(Spot("sn"), Spot("ft")))
    session.kits.move_piece("ft", 390, 575, 640)
    assert "snare to floor tom: 400 mm" in station.plan.in_words()
    press(station.tape_buttons.measure)
    a, b = at(station, "sn"), at(station, "ft")
    click(station.plan, a + (b - a) * 0.4)
    assert station.tape.chosen == session.kit.dimensions[0]
    QTest.keyClick(station.plan, Qt.Key.Key_Delete)
    assert session.kit.dimensions == ()


def test_a_tape_to_a_bare_point_of_the_floor(station):
    press(station.tape_buttons.measure)
    start = station.plan.to_px(420, -120)
    drag(station.plan, start, station.plan.to_px(120, -120))
    line = station.tape.current
    assert line.a.at == line.b.at == "floor"
    assert line.a.dx - line.b.dx == pytest.approx(300, abs=6)


def test_the_tape_works_in_the_heights_too(station):
    press(station.tape_buttons.measure)
    kit = station.session.kit
    points = [station.elevation.to_px(p.x, p.y, p.z) for p in (kit.piece("hh"), kit.piece("ft"))]
    drag(station.elevation, *points)
    assert station.tape.current == Dimension(Spot("hh"), Spot("ft"))
    assert "260 mm down" in station.plan_panel.note.text()


def test_the_tape_by_keys_alone(station, window):
    session, plan = window.session, station.plan
    plan.setFocus()
    session.select_piece("sn")
    QTest.keyClicks(plan, "m")
    QTest.keyClick(plan, Qt.Key.Key_Return)
    QTest.keyClicks(plan, "]")
    QTest.keyClick(plan, Qt.Key.Key_Return)
    assert station.tape.current == Dimension(Spot("sn"), Spot(session.piece))
    QTest.keyClick(plan, Qt.Key.Key_Return)
    assert len(session.kit.dimensions) == 1
    QTest.keyClicks(plan, "m")
    assert not station.tape.on and not station.tape_buttons.measure.isChecked()


# --- the player and the tape readings ---------------------------------------------------------------------------


def test_a_segment_that_was_measured(station, window):
    station.tabs.setCurrentWidget(station.player_form)
    form, session = station.player_form, window.session
    before = session.player
    click(form.own["upper_arm"], QPointF(8, form.own["upper_arm"].height() / 2))
    assert session.player.segments.upper_arm == round(before.upper_arm_mm)
    enter(form.segments["upper_arm"], "36 cm")
    assert session.player.upper_arm_mm == 360 and "Arm 7" in form.words.text()
    enter(form.segments["upper_arm"], "90 cm")
    assert session.player.upper_arm_mm == 360 and "cannot be; expected 120 to 500 mm" in form.words.text()
    click(form.own["upper_arm"], QPointF(8, form.own["upper_arm"].height() / 2))
    assert session.player.upper_arm_mm == before.upper_arm_mm


def test_the_side_is_asked_once(station, window):
    session, form = window.session, station.tape_form
    station.tabs.setCurrentWidget(form)
    assert not form.on_left.isVisible(), "nothing measured, nothing asked"
    session.kits.set_readings((Reading("sn", "hh", 390), Reading("sn", "ft", 380)), "Readings")
    assert form.on_left.isVisible() and "where does the hi-hat stand?" in form.side_question.text()
    press(form.on_right)
    assert session.kit.right == "hh" and not form.on_left.isVisible()
    undo(window)
    assert session.kit.right == "" and form.on_left.isVisible()


def test_inches_everywhere(window):
    window.go("kit")
    window.set_unit("in")
    QTest.qWait(20)
    try:
        station = window.kit_station
        window.session.select_piece("ft")
        assert station.pieces_form.places["x"].text() == "15.75 in"
        assert " in" in station.pieces_form.list.item(1, 2).text()
        assert " in high" in station.plan.in_words() and " mm" not in station.plan.in_words()
        assert window.settings.get("unit") == "in"
        window.go("reach")
        for finding in window.session.report.findings:
            assert " mm" not in units.text_of(finding.said)
    finally:
        units.set_unit("mm")


# --- a piece goes -----------------------------------------------------------------------------------------------


def answer(act, button):
    """Do something that opens the question, and press one of its buttons; what it proposed, and all it offered."""
    act()
    dialog = QApplication.activeModalWidget()
    assert isinstance(dialog, RemovePieceDialog)
    window = dialog.parentWidget()
    offered = [dialog.others.itemText(k) for k in range(dialog.others.count())]
    proposed = dialog.others.currentText()
    QTest.mouseClick(getattr(dialog, button), Qt.MouseButton.LeftButton)
    # Without a window manager the window is not given back its focus by itself.
    window.activateWindow()
    QApplication.processEvents()
    return proposed, offered


def test_removing_a_piece_that_plans_use_asks_what_takes_its_strokes(station, window):
    session = window.session
    code = next(p.code for p in session.kit if p.kind == "tom" and session.kits.plans_with(p.code))
    plans = session.kits.plans_with(code)
    session.select_piece(code)
    before = session.document
    answer(lambda: press(station.pieces_form.remove), "cancel")
    assert session.document == before
    proposed, others = answer(lambda: press(station.pieces_form.remove), "exchange")
    assert proposed == others[0] and session.kit.piece(code) is None
    for plan in plans:
        text = session.document.score(session.document.plan(plan.id).pattern).text
        assert code not in {s.voice for s in read_unfinished(text, session.kit).strokes}
    undo(window)
    assert session.document == before, "kit and plans come back in one step"


def test_delete_removes_the_piece_from_the_list_and_from_the_plan(station, window):
    session = window.session
    for widget in (station.pieces_form.list, station.plan):
        code = next(p.code for p in session.kit if p.code in session.kit.struck and session.kits.plans_with(p.code))
        session.select_piece(code)
        widget.setFocus()
        answer(lambda w=widget: QTest.keyClick(w, Qt.Key.Key_Delete), "leave")
        assert session.kit.piece(code) is None
        undo(window)
        assert session.kit.piece(code) is not None
    # One that no plan strikes goes without a question.
    before = session.kit
    session.kits.add_piece("china")
    new = session.piece
    assert session.kits.plans_with(new) == ()
    station.plan.setFocus()
    QTest.keyClick(station.plan, Qt.Key.Key_Delete)
    assert session.kit == before


def test_where_a_voice_is_missing_nothing_else_is_claimed_for_its_strokes(station, window):
    session = window.session
    code = next(p.code for p in session.kit if p.kind == "tom" and session.kits.plans_with(p.code))
    session.show_plan(session.kits.plans_with(code)[0].id)
    session.kits.remove_piece(code)
    assert window.header.limit.value.text() == "at no tempo" and "ease" not in window.header.ease.caption.text()
    window.go("reach")
    session.select_stroke(next(s.index for s in session.report.strokes if s.voice == code))
    card = window.reach_station.card
    window.reach_station.tabs.setCurrentWidget(card)
    shown = [(n.text(), v.text()) for n, v in zip(card.names, card.values) if n.text()]
    assert shown[0] == ("voice", f"'{code}' is not on this kit") and "pace" not in dict(shown)


def test_habits_are_set_and_taken_back(station, window):
    station.tabs.setCurrentWidget(station.player_form)
    form = station.player_form.habits
    pick(form.choices["hats"], "open-handed")
    pick(form.choices["lead"], "the left hand")
    enter(form.order, "0.5")
    assert (
        window.session.player.habits.words == "led by the left hand, hats open-handed, practised orders count × 0.5"
    )
    for _ in range(3):
        undo(window)
    assert window.session.player.habits == NO_HABITS
    assert form.choices["hats"].currentText() == "as it comes" and form.order.value() == 1.0


def test_habits_are_learned_from_what_was_committed(station, window, qtbot):
    session = window.session
    # Nothing has been committed by another player.
    player = replace(session.player, id="left", name="Left")
    plan = session.plan
    session.apply(session.document.with_player(player).with_plan(replace(plan, player="left")), "Another player")
    station.tabs.setCurrentWidget(station.player_form)
    form = station.player_form.habits
    press(form.learn)
    qtbot.waitUntil(lambda: "there are 0" in form.words.text())
    assert session.player.habits == NO_HABITS
    for text in ("/16 LRLR LRLR", "/16 LRLR LR@t1 L@ft R@ft", "/16 L> R L R L> R L R", "/8t LRL RLR"):
        session.plans.new_plan(text, tempo=100, text=text)
        session.apply(session.document.with_plan(replace(session.plan, player="left")), "By the other player")
        session.plans.commit("", "2026-05-01T10:00:00+00:00", "1")
    press(form.learn)
    qtbot.waitUntil(lambda: "committed plans: led by the left hand" in form.words.text())
    assert session.player.habits.lead == "left" and form.choices["lead"].currentText() == "the left hand"
    undo(window)
    assert session.player.habits == NO_HABITS
    press(form.learn)
    press(form.learn)
    assert "Stopped" in form.words.text() and form.learn.text() == "Learn from what I committed"


def test_a_kind_of_piece_from_outside_is_offered_and_drawn(window, station):
    kind = PieceKind("tambourine", "tambourine on a stand", "percussion", "tb", "tambourine", 950, 250, 80)
    piece_kinds.register(kind)
    try:
        session = window.session
        session.apply(session.document.with_kit(session.kit.with_piece(new_piece(session.kit, "tambourine"))), "Kit")
        session.select_piece("tb")
        station.tabs.setCurrentWidget(station.shape_form)
        assert station.shape_form.kind.currentText() == "tambourine on a stand"
        station.plan.grab()
        station.elevation.grab()
    finally:
        piece_kinds.unregister("tambourine")
