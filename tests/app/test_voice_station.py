"""The Voice station: painting by clicks and keys, the adviser, variations."""

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from deft_reach.app.offers.candidate_preview import CandidateThreads
from deft_reach.core import parse
from deft_reach.core.analysis.comparing import is_worse
from tests.app.conftest import click

TEXT = "/16 (R> L R R) (L> R L. L)"


@pytest.fixture
def station(window, qapp):
    window.session.plans.new_plan("Voices", TEXT)
    window.session.plans.change_plan("hall", kit="hall")
    QTest.keyClick(window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert window.station == "voice"
    qapp.processEvents()
    return window.voice_station


def press(button):
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def press_box(box):
    """On the box of a check box, whose text does not reach across all of its width."""
    QTest.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(9, box.height() // 2))


def at(station, code, zone=None) -> QPointF:
    piece = station.session.kit.piece(code)
    found = piece.zone(zone) if zone else None
    return station.plan.to_px(piece.x + (found.dx if found else 0), piece.y + (found.dy if found else 0))


def pick(box, text):
    box.setFocus()
    while box.currentText() != text:
        QTest.keyClick(box, Qt.Key.Key_Down)


def voices(window):
    return [s.voice for s in window.session.pattern().strokes]


def test_selected_strokes_go_where_one_clicks(station, window):
    lane = station.lane
    lane.setFocus()
    lane.lane.go(0)
    QTest.keyClick(lane, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(lane, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    click(station.plan, at(station, "ft"))
    assert voices(window) == ["ft", "ft"] + ["sn"] * 6 and window.session.undo_label == "2 strokes to ft"
    before = window.session.kit
    assert before == window.session.kit, "painting never moves a drum"
    click(station.plan, at(station, "rd", "bell"))
    assert voices(window)[:2] == ["rd:bell"] * 2
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert voices(window)[:2] == ["ft", "ft"]


def test_a_set_of_strokes_stays_inside_the_selection(station, window):
    lane = station.paint.lane
    pick(station.paint.scope, "every right")
    whole = window.session.pattern()
    lane.go(2)
    lane.go(4, extend=True)
    inside = [i for m in whole.moments[2:4] for i in m.strokes]
    wanted = [i for i in inside if whole.strokes[i].limb == "R"]
    assert wanted and station.paint.put.text() == f"Put {len(wanted)} there"
    pick(station.paint.voice, "rd")
    press(station.paint.put)
    after = window.session.pattern()
    assert [s.index for s in after.strokes if s.voice == "rd"] == wanted
    assert "in the selection" in window.session.undo_label


@pytest.mark.parametrize(
    ("scope", "indices"), [("every right", [0, 2, 3, 5]), ("every accent", [0, 4]), ("first of each group", [0, 4])]
)
def test_whole_sets_go_in_one_step(station, window, scope, indices):
    pick(station.paint.scope, scope)
    assert station.paint.put.text() == f"Put {len(indices)} there"
    click(station.plan, at(station, "c1"))
    assert [i for i, v in enumerate(voices(window)) if v == "c1"] == indices
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert window.session.text == TEXT


def test_v_steps_through_the_voices(station, window):
    station.lane.setFocus()
    station.lane.lane.go(1)
    QTest.keyClicks(station.lane, "v")
    assert voices(window)[1] == "sn:rim"
    QTest.keyClicks(station.lane, "V")
    assert voices(window)[1] == "sn"


def test_same_hands_other_voices(station, window):
    form = station.paint
    pick(form.becomes["sn"], "t1")
    press(form.exchange)
    assert set(voices(window)) == {"t1"} and window.session.undo_label == "Other voices"
    assert window.session.pattern().sticking == "R L R R L R L L"


def test_a_voice_the_kit_lacks_is_shown_with_its_stand_in(station, window):
    window.session.strokes.set_text("R@sp L R@t3 L", "Text", None)
    form = station.paint
    rows = [form.table.item(r, 0).text() for r in range(form.table.rowCount())]
    assert "sp: not on this kit" in rows and "t3: not on this kit" in rows
    assert form.becomes["t3"].currentText() == "t2" and "nearest it has" in form.words.text()
    press(form.exchange)
    assert voices(window) == ["c1", "sn", "t2", "sn"] and not window.session.report.impossible


def test_the_adviser_finds_in_the_background_and_uses_only_what_still_fits(station, window, qtbot):
    station.tabs.setCurrentWidget(station.adviser)
    form = station.adviser
    assert form.palette_field.text().startswith("sn ")
    form.accents.setText("c1, c2")
    press(form.find_button)
    assert "Searching" in form.words.text()
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    assert 1 <= form.table.rowCount() <= len(form.found.best) and "looked at" in form.words.text()
    assert "As it stands: ease" in form.words.text()
    press(form.use)
    assert {window.session.pattern().strokes[i].voice for i in (0, 4)} <= {"c1", "c2"}
    assert window.session.undo_label == "Voicing from the adviser"
    window.session.strokes.set_text("R L", "Text", None)
    assert not form.use.isEnabled()
    form.palette_field.setText("zz")
    QTest.keyClick(form.palette_field, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: "has no voice 'zz'" in form.words.text(), timeout=20_000)


def test_variations_are_sorted_kept_and_dropped(station, window, qtbot):
    station.tabs.setCurrentWidget(station.variations)
    form = station.variations
    for box in (*form.sorts.values(), form.harder):
        if not box.isChecked():
            press_box(box)
    press(form.find_button)
    qtbot.waitUntil(lambda: not form.task.busy and form.table.rowCount() > 10, timeout=30_000)
    form.table.sortItems(1, Qt.SortOrder.DescendingOrder)
    eases = [form.table.item(r, 1).value for r in range(form.table.rowCount())]
    assert eases == sorted(eases, reverse=True)
    plans, rows = len(window.session.document.plans), form.table.rowCount()
    form.table.setCurrentCell(0, 0)
    chosen = form.chosen
    press(form.keep)
    document = window.session.document
    assert len(document.plans) == plans + 1 and window.session.plan.name == "Voices"
    kept = document.plans[-1]
    assert document.score(kept.pattern).text == chosen.text and kept.tempo == chosen.tempo
    assert form.table.rowCount() == rows - 1
    press(form.drop)
    assert form.table.rowCount() == rows - 2


def test_only_the_sorts_that_are_chosen_and_nothing_harder(station, window, qtbot):
    station.tabs.setCurrentWidget(station.variations)
    form, now = station.variations, window.session.report
    for sort in ("hands", "voices"):
        press_box(form.sorts[sort])
    assert [sort for sort, box in form.sorts.items() if box.isChecked()] == ["accents"]
    press(form.find_button)
    qtbot.waitUntil(lambda: not form.task.busy and "As it stands" in form.words.text(), timeout=30_000)
    rows = [form.table.item(k, 0).data(Qt.ItemDataRole.UserRole) for k in range(form.table.rowCount())]
    assert {row.sort for row in rows} == {"accents"} and not any(is_worse(row.report, now) for row in rows)
    shown = form.table.rowCount()
    if form.harder_ones:
        press_box(form.harder)
        assert form.table.rowCount() == shown + len(form.harder_ones)
        press_box(form.harder)
        assert form.table.rowCount() == shown
    for box in form.sorts.values():
        if box.isChecked():
            press_box(box)
    assert not form.find_button.isEnabled(), "nothing to vary is chosen"


def select(station, count):
    """Select the first steps in the lane, by keys."""
    station.lane.setFocus()
    station.lane.lane.go(0)
    for _ in range(count):
        QTest.keyClick(station.lane, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)


def test_adviser_and_variations_keep_to_the_selection(station, window, qtbot):
    select(station, 4)
    before = voices(window)
    station.tabs.setCurrentWidget(station.adviser)
    form = station.adviser
    form.palette_field.setText("t1 ft")
    press(form.find_button)
    qtbot.waitUntil(lambda: form.table.rowCount() > 0, timeout=20_000)
    press(form.use)
    assert voices(window)[4:] == before[4:] and set(voices(window)[:4]) <= {"t1", "ft"}
    window.session.undo()
    select(station, 4)
    station.tabs.setCurrentWidget(station.variations)
    assert "4 selected steps" in station.variations.words.text()
    press(station.variations.find_button)
    qtbot.waitUntil(lambda: not station.variations.task.busy, timeout=30_000)
    seed = window.session.pattern()
    assert station.variations.table.rowCount() or station.variations.harder_ones
    for k in range(station.variations.table.rowCount()):
        new = parse(station.variations.table.item(k, 0).data(Qt.ItemDataRole.UserRole).text)
        assert [(s.limb, s.voice, s.marks) for s in new.strokes[-4:]] == [
            (s.limb, s.voice, s.marks) for s in seed.strokes[-4:]
        ]


def test_a_voicing_is_drawn_and_heard_before_it_is_taken(station, window, qtbot, monkeypatch):
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.transport.timer.setInterval(10**6)
    station.tabs.setCurrentWidget(station.adviser)
    form, text = station.adviser, window.session.text
    press_box(form.harder)
    form.palette_field.setText("sn t1 ft")
    pick(form.contour, "two strokes a voice")
    press(form.find_button)
    qtbot.waitUntil(lambda: form.table.rowCount() > 1, timeout=20_000)
    threads = station.threads.currentWidget()
    assert isinstance(threads, CandidateThreads) and threads.isVisible() and "not taken" in threads.words.text()
    offered = station.candidate.report.pattern
    assert window.session.text == text and [s.voice for s in offered.strokes] != voices(window)
    QTest.keyClick(window, Qt.Key.Key_F5)
    assert window.transport.playing and window.transport.session is station.candidate
    assert {window.transport.playback.pattern.strokes[h.stroke].voice for h in window.transport.playback.hits} == {
        s.voice for s in offered.strokes
    }
    form.table.setFocus()
    QTest.keyClick(form.table, Qt.Key.Key_Down)
    assert station.candidate.report.pattern != offered
    if window.transport.playing:
        assert window.transport.playback.pattern is station.candidate.report.pattern, "the loop goes on"
        window.transport.stop()
    QTest.keyClick(threads.weave, "k")
    assert "use it first" in threads.words.text() and window.session.text == text
    press(threads.back)
    assert station.threads.currentWidget() is not threads and window.transport.session is window.session
    QTest.mouseClick(
        form.table.viewport(),
        Qt.MouseButton.LeftButton,
        pos=form.table.visualItemRect(form.table.item(1, 1)).center(),
    )
    assert station.candidate.active, "a click on it shows it again"
    press(form.use)
    assert not station.candidate.active and window.session.text != text
    window.session.undo()
    QTest.keyClick(window, Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
    assert not station.candidate.active


def test_the_page_can_be_stopped(station, window):
    station.tabs.setCurrentWidget(station.variations)
    form = station.variations
    press(form.find_button)
    if form.task.busy:
        press(form.find_button)
    assert not form.task.busy and form.find_button.text() == "Make a page"


def test_stick_heights_in_words_and_by_click(station, window):
    heights = station.heights
    # Each hand has one accent among taps, and the loop comes round to it (common practice).
    assert heights.in_words() == "Strokes of the hands: 2 down, 4 tap, 2 up."
    x = station.axis.x(window.session.pattern().starts[6])
    click(heights, QPointF(x, 20))
    assert window.session.stroke == 6
    assert heights.height_of(">") > heights.height_of("") > heights.height_of(".") > 0
    assert "tap" in heights.words_at(QPointF(x, 20)) or "up stroke" in heights.words_at(QPointF(x, 20))
