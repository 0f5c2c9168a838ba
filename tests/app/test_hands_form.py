"""The list of hands, by clicks and keys: found, kept, compared, used."""

from itertools import pairwise

import pytest
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt, QThreadPool
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QInputDialog
from shiboken6 import isValid

from deft_reach.app.offers.candidate_preview import CandidateThreads
from deft_reach.app.reach.findings_list import REMEDIES
from deft_reach.app.reach.hands_rows import FOUND, KEPT, OWN, differs_words
from deft_reach.app.reach.stroke_table import StrokesDialog
from deft_reach.core import analyse
from deft_reach.core.analysis.difficulty import LEVELS
from deft_reach.core.analysis.ranking import better
from deft_reach.core.motion.cost import TERM_NAMES
from deft_reach.formats.document import dump_document, load_document
from tests.app.conftest import drag, pick, point, show

TEXT = "/16 (R@ft> L@ft R@t1 L) (R L R@rd L@hh)"
CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def station(window, qapp):
    window.session.plans.new_plan("Rethink", TEXT)
    window.session.plans.change_plan("hall", kit="hall")
    window.session.plans.set_repeat(True)
    QTest.keyClick(window, Qt.Key.Key_4, CTRL)
    qapp.processEvents()
    return window.reach_station


def press(button):
    assert button.isEnabled(), button.text()
    QTest.mouseClick(button, Qt.MouseButton.LeftButton)


def take(hands, words):
    """From the menu of "Use part"."""
    hands.parts.aboutToShow.emit()
    hands.parts.setActiveAction(next(a for a in hands.parts.actions() if a.text() == words))
    QTest.keyClick(hands.parts, Qt.Key.Key_Return)


def search(station, qtbot):
    press(station.hands.find_button)
    qtbot.waitUntil(lambda: station.hands.found is not None, timeout=5000)


def choose(station, name):
    """A row by keys."""
    rows = station.hands.list
    rows.setFocus()
    QTest.keyClick(rows, Qt.Key.Key_Home)
    for _ in range([row.name for row in station.hands.rows].index(name)):
        QTest.keyClick(rows, Qt.Key.Key_Down)
    return station.hands.rows[rows.currentRow()]


def press_link(station, number, words):
    """Use or Compare in a row."""
    rows = station.hands.list
    rows.scrollToItem(rows.item(number))
    rect = QRectF(rows.visualItemRect(rows.item(number)))
    at = rows.links(station.hands.rows[number], rect)[words].center().toPoint()
    QTest.mouseClick(rows.viewport(), Qt.MouseButton.LeftButton, pos=at)


def settle(station, **wanted):
    """Set fields of the question in the popover, by keys."""
    line = station.hands.settings
    press(line)
    assert line.popover.isVisible()
    for field, text in wanted.items():
        pick(line.field(field), text)
    QTest.keyClick(line.popover, Qt.Key.Key_Escape)
    assert not line.popover.isVisible()


def test_a_kept_sticking_is_drawn_and_heard(station, window, qapp, monkeypatch):
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.transport.timer.setInterval(10**6)
    other = TEXT.replace("(R L R@rd L@hh)", "(L R R@rd L@hh)")
    window.session.stickings.keep("other", other)
    assert not station.candidate.active and station.hands.rows[0].source == OWN
    choose(station, "other")
    threads = station.threads.currentWidget()
    assert isinstance(threads, CandidateThreads) and threads.words.text().startswith("Offered, not taken: other")
    assert station.plan_view.currentWidget().session is station.candidate is window.transport.session
    window.session.select_stroke(5)
    assert station.candidate.stroke == 5
    QTest.keyClick(threads.lane, Qt.Key.Key_Right)
    assert window.session.stroke == station.candidate.stroke == 6
    QTest.keyClick(window, Qt.Key.Key_F5)
    hands = [window.transport.playback.pattern.strokes[h.stroke].limb for h in window.transport.playback.hits]
    assert hands[4:6] == ["L", "R"]
    window.transport.stop()
    QTest.keyClick(station.hands.list, Qt.Key.Key_Escape)
    assert not station.candidate.active and station.threads.currentWidget() is not threads
    assert station.hands.list.currentRow() == 0, "the plan's own is chosen again"
    QTest.keyClick(station.hands.list, Qt.Key.Key_Down)
    assert station.candidate.active
    press(threads.back)
    assert not station.candidate.active and station.hands.list.currentRow() == 0
    QTest.keyClick(station.hands.list, Qt.Key.Key_Down)
    window.session.strokes.set_limb(0, "L")
    assert not station.candidate.active or station.candidate.main.text == window.session.text


def test_the_best_hands_are_found_and_used_in_two_clicks(station, window, qtbot):
    poor = "/16 (L@ft> R@ft L@t1 R) (R L R@rd L@hh)"
    window.session.strokes.set_text(poor, "Text", None)
    before = window.session.report
    search(station, qtbot)
    rows, found = station.hands.rows, station.hands.found.best
    assert rows[0].source == OWN and rows[0].text == poor
    shown = [row for row in rows if row.source == FOUND]
    assert [row.text for row in shown] == [row.text for row in found if row.text != poor], "in the planner's order"
    levels = [LEVELS.index(row.report.summary.level) for row in shown]
    assert levels == sorted(levels) and better(found[0].report, before)
    assert rows[station.hands.list.currentRow()].text == found[0].text, "the best one is chosen, drawn and heard"
    assert station.candidate.active and station.candidate.text == found[0].text
    said = station.hands.list.item(1).data(Qt.ItemDataRole.AccessibleTextRole)
    assert found[0].kind in said and f"ease {found[0].report.summary.ease:.0f}" in said and "mostly" in said
    tip = station.hands.list.item(1).toolTip()
    assert f"motion cost {found[0].cost:.1f}" in tip and TERM_NAMES["pace"] in tip
    press_link(station, 1, "Use")
    assert window.session.text == found[0].text and window.session.undo_label == "Other hands"
    assert not station.candidate.active, "what is used is no offer any more"
    assert [row.text for row in station.hands.rows[1:]] == [row.text for row in found[1:]], "still answers"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.text == poor


def test_where_nothing_is_easier_the_plan_stays_chosen_and_that_is_said(station, window, qtbot):
    search(station, qtbot)
    assert "Nothing easier was found than the plan's own" in station.hands.words.text()
    assert station.hands.list.currentRow() == 0 and not station.candidate.active


def test_two_are_compared_in_one_click(station, window, qtbot, qapp):
    search(station, qtbot)
    QTest.keyClick(station.hands.list, Qt.Key.Key_Escape)
    press_link(station, 2, "Compare")
    threads = station.threads.currentWidget()
    assert station.candidate.text == station.hands.rows[2].text
    assert threads.beside.isVisible() and not threads.lane.isVisible() and threads.weave.isVisible()
    assert "The plan as written" in threads.beside.words.text() and "ease" in threads.beside.words.text()
    weave = threads.beside.stack.currentWidget()
    assert weave.session is window.session and weave.axis.x(0.5) == threads.weave.axis.x(0.5), "over each other"
    first = station.hands.rows[2]
    press_link(station, 3, "Compare")
    assert station.candidate.text == station.hands.rows[3].text
    assert threads.beside.words.text().startswith(first.name), "the one that was chosen, not the plan"
    weave = threads.beside.stack.currentWidget()
    assert weave.session.text == first.text
    QTest.keyClick(station.hands.list, Qt.Key.Key_Escape)
    assert not station.candidate.active
    choose(station, first.name)
    assert threads.lane.isVisible() and not threads.beside.isVisible(), "chosen alone it is drawn alone"
    QTest.keyClick(station.hands.list, Qt.Key.Key_C)
    assert threads.beside.isVisible()


def test_letters_stand_at_their_strokes_places_in_time(station, window, qtbot, qapp):
    """What is drawn at a stroke's x in its own row is its letter: exchanged hands change the picture only there."""
    window.session.stickings.keep("first", TEXT.replace("(R@ft>", "(L@ft>"))
    rows, axis = station.hands.list, station.axis
    rows.setCurrentRow(-1)
    image = rows.viewport().grab().toImage()
    own, other = (rows.visualItemRect(rows.item(k)) for k in (0, 1))
    heights = range(round(own.height() * 0.55), own.height() - 4)
    differs = lambda x: any(  # noqa: E731
        image.pixel(x, own.top() + y) != image.pixel(x, other.top() + y) for y in heights
    )
    changed = [x for x in range(int(axis.x(0)) - 14, own.width() - 4) if differs(x)]
    assert changed and all(abs(x - axis.x(0)) <= 12 for x in changed)


def test_six_rows_are_in_view(station, window, qtbot, qapp):
    window.resize(1280, 800)
    search(station, qtbot)
    rows = station.hands.list
    rect = rows.viewport().rect()
    seen = [k for k in range(rows.count()) if rect.contains(rows.visualItemRect(rows.item(k)))]
    assert len(seen) >= 6


def test_only_a_part_by_a_school(station, window, qtbot):
    window.session.select_stroke(5)
    settle(station, which="this group", school="strictly")
    assert "this group" in station.hands.settings.text() and "strictly" in station.hands.settings.text()
    search(station, qtbot)
    for row in station.hands.found.best:
        limbs = row.pattern.sticking.split()
        assert limbs[:4] == ["R", "L", "R", "L"], "the other group stays"
        assert all(a != b for a, b in pairwise(limbs[4:]))


def test_questions_about_nothing_say_what_to_do(station, window):
    settle(station, which="strokes written ?")
    press(station.hands.find_button)
    assert "written ?" in station.hands.words.text()
    window.session.select_finding(None)
    window.session.select_stroke(0)
    settle(station, which="strokes of the finding")
    press(station.hands.find_button)
    assert "Choose a finding" in station.hands.words.text()


def test_an_impossible_school_is_refused_in_words(station, window, qtbot):
    window.session.strokes.set_text("/8 ?@hh ?@hh ?@hh", "Text", None)
    settle(station, which="strokes written ?", school="strictly", hat="open-handed")
    press(station.hands.find_button)
    qtbot.waitUntil(lambda: "No sticking" in station.hands.words.text(), timeout=5000)


def test_keep_name_use_and_drop(station, window, qtbot, monkeypatch):
    search(station, qtbot)
    found = choose(station, "mixed")
    press(station.hands.keep)
    assert [c.text for c in window.session.stickings.candidates] == [found.text]
    kept = lambda: next(row for row in station.hands.rows if row.text == found.text)  # noqa: E731
    qtbot.waitUntil(lambda: kept().source == KEPT, timeout=3000)
    row = kept()
    assert row.source == KEPT and row.kind == found.kind, "found and kept it is one row"
    monkeypatch.setattr(QInputDialog, "getText", lambda *a, **k: ("for the tour", True))
    choose(station, row.name)
    station.hands.name.trigger()
    line = station.hands.settings
    press(line)
    press(station.hands.lead)
    assert not line.popover.isVisible()
    assert {c.name for c in window.session.stickings.candidates} == {
        "for the tour",
        "right hand leads",
        "left hand leads",
    }
    for row in station.hands.rows:
        alone = analyse(
            row.report.pattern, window.session.kit, window.session.player, window.session.plan.tempo, repeat=True
        )
        assert row.report.summary.cost == pytest.approx(alone.summary.cost)
    assert station.hands.rows[0].row.differs == () and station.hands.rows[1].row.differs
    wanted = choose(station, "for the tour").text
    press(station.hands.use)
    assert window.session.text == wanted
    assert any(c.text == TEXT for c in window.session.stickings.candidates), "the one before is kept"
    again = load_document(dump_document(window.session.document))
    assert again.plan("Rethink").candidates == window.session.stickings.candidates, "saved with the plan"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    wanted_limbs = [s.limb for s in choose(station, "for the tour").report.pattern.strokes]
    window.session.select_stroke(1)
    take(station.hands, "this group")
    limbs = [s.limb for s in window.session.pattern().strokes]
    assert limbs[:4] == wanted_limbs[:4] and limbs[4:] == ["R", "L", "R", "L"]
    choose(station, "left hand leads")
    QTest.keyClick(station.hands.list, Qt.Key.Key_Delete)
    assert [c.name for c in window.session.stickings.candidates] == ["for the tour", "right hand leads"]


def test_a_part_of_what_was_only_found_can_be_used(station, window, qtbot):
    search(station, qtbot)
    row = choose(station, station.hands.rows[1].name)
    window.session.select_stroke(row.row.differs[0])
    take(station.hands, "this stroke")
    limbs, wanted = window.session.pattern().strokes, row.report.pattern.strokes
    assert limbs[row.row.differs[0]].limb == wanted[row.row.differs[0]].limb
    assert window.session.undo_label.startswith("Use part of")


def test_try_it_lists_what_would_help(station, window, qtbot):
    crossover = next(f for f in window.session.report.findings if f.kind == "crossover")
    window.session.select_finding(crossover)
    press(station.try_it)
    qtbot.waitUntil(lambda: bool(window.session.stickings.candidates), timeout=5000)
    row = station.hands.rows[station.hands.list.currentRow()]
    assert "hand" in row.name and set(crossover.strokes) & set(row.row.differs)
    starts = {window.session.report.pattern.strokes[i].start for i in crossover.strokes}
    for row in station.hands.rows[1:]:
        still = [f for f in row.report.findings if f.kind == "crossover"]
        assert not any(starts & {row.report.pattern.strokes[i].start for i in f.strokes} for f in still), "it is gone"
    words = station.findings.currentItem().data(Qt.ItemDataRole.AccessibleTextRole)
    assert "Removed by" in words and all(c.name in words for c in window.session.stickings.candidates)
    for key in (Qt.Key.Key_2, Qt.Key.Key_4):
        QTest.keyClick(window, key, Qt.KeyboardModifier.ControlModifier)
    again = station.findings.currentItem().data(Qt.ItemDataRole.AccessibleTextRole)
    assert again == words, "it is still there when one comes back"


def test_where_nothing_is_found_that_is_said_and_the_plan_stays(station, window, qtbot):
    window.session.strokes.set_text("/16 K K K K K K K K", "Text", None)
    window.session.plans.set_tempo(300)
    finding = max(window.session.report.findings, key=lambda f: f.severity.rank)
    window.session.select_finding(finding)
    press(station.try_it)
    said = lambda: station.findings.currentItem().data(Qt.ItemDataRole.AccessibleTextRole)  # noqa: E731
    qtbot.waitUntil(lambda: "Removed by: at " in said() or "No other hands" in said(), timeout=5000)
    tempo = int(said().partition("Removed by: at ")[2].split()[0])
    assert 40 <= tempo < 300 and not window.session.stickings.candidates
    window.session.plans.set_tempo(tempo)
    kinds = {f.kind for f in window.session.report.findings}
    assert finding.kind not in kinds
    window.session.plans.set_tempo(tempo + 1)
    assert finding.kind in {f.kind for f in window.session.report.findings}, "and no faster"


def test_both_ways_with_the_hat(station, window, qtbot):
    window.session.strokes.set_text("/8 R@hh R@hh+L R@hh R@hh+L", "Text", None)
    press(station.hands.settings)
    press(station.hands.hats)
    qtbot.waitUntil(lambda: len(window.session.stickings.candidates) == 2, timeout=5000)
    names = {c.name: next(r for r in station.hands.rows if r.text == c.text)
             for c in window.session.stickings.candidates}  # fmt: skip
    hands = {n: {s.limb for s in r.report.pattern.strokes if s.voice == "hh"} for n, r in names.items()}
    assert hands["hi-hat crossed"] == {"R"} and hands["open-handed"] == {"L"}


def test_the_card_says_what_the_other_hand_would_cost(station, window):
    window.session.select_stroke(1)
    names = [n.text() for n in station.card.names]
    value = station.card.values[names.index("other hand")].text()
    assert "costs" in value and "BPM" in value


def test_where_no_more_can_be_kept_that_is_said_and_keeps_what_it_has(station, window, qtbot):
    for k in range(6):
        window.session.stickings.keep(f"kept {k}", "R L " * (k + 1))
    crossover = next(f for f in window.session.report.findings if f.kind == "crossover")
    window.session.select_finding(crossover)
    press(station.try_it)
    qtbot.waitUntil(lambda: "make room" in station.hands.words.text(), timeout=5000)
    assert [c.name for c in window.session.stickings.candidates] == [f"kept {k}" for k in range(6)]


def test_while_a_drum_is_dragged_the_other_hand_is_tried_once_it_rests(station, window, qtbot):
    window.session.select_stroke(1)
    show(station, "This stroke")
    at = [n.text() for n in station.card.names].index("other hand")
    before = station.card.values[at].text()
    tom = window.session.kit.piece("ft")
    window.session.kits.move_piece("ft", tom.x - 150, tom.y)
    assert station.card.values[at].text() == "…", "not a number of the kit as it was"
    qtbot.waitUntil(lambda: "costs" in station.card.values[at].text(), timeout=3000)
    assert station.card.values[at].text() != before


def test_a_part_from_the_selected_stroke_on_or_up_to_it(station, window):
    window.session.stickings.keep("exchanged", TEXT.translate(str.maketrans("RL", "LR")))
    limbs = lambda: "".join(s.limb for s in window.session.pattern().strokes)  # noqa: E731
    for words, wanted in (
        ("this stroke", "RLRLRRRL"),
        ("from this stroke on", "RLRLRRLR"),
        ("up to this stroke", "LRLRLRRL"),
        ("this bar", "LRLRLRLR"),
    ):
        choose(station, "exchanged")
        window.session.select_stroke(5)
        take(station.hands, words)
        assert limbs() == wanted, words
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
        assert limbs() == "RLRLRLRL"


def test_a_search_can_be_stopped(station, window, qtbot):
    window.session.strokes.set_text("/32 " + "? R@t1 ?@ft ?@rd L@hh ? " * 400, "Text", None)
    form = station.hands
    press(form.find_button)
    assert form.find_button.text() == "Stop"
    qtbot.waitUntil(lambda: "Searching …" in form.words.text(), timeout=10_000)
    press(form.find_button)
    assert form.find_button.text() == "Find the best hands" and "Stopped" in form.words.text()
    qtbot.wait(50)
    assert form.found is None and form.list.count() == 1


def test_the_strokes_as_a_table_sort_and_select(station, window):
    QTest.keyClick(window, Qt.Key.Key_F9)
    dialog = window.findChild(StrokesDialog)
    assert dialog.isVisible() and not dialog.isModal(), "the drawings go on working beside it"
    view, report = dialog.table.view, window.session.report
    cells = lambda row: [view.model().index(row, k).data() for k in range(view.model().columnCount())]  # noqa: E731
    assert view.model().rowCount() == len(report.strokes) == 8
    first = report.strokes[0]
    assert cells(0)[:4] == ["1", "R>", "floor tom", first.stroke_type]
    assert cells(0)[7] == f"{first.pace:.2f}" and cells(0)[8] == f"{first.tempo_limit:.0f} BPM"
    header = view.horizontalHeader()
    x = header.sectionViewportPosition(8) + 8
    QTest.mouseClick(header.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(x, 8))
    limits = [float(cells(k)[8].split()[0]) for k in range(8)]
    assert limits == sorted(limits)
    at = view.visualRect(view.model().index(0, 0)).center()
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=at)
    assert window.session.stroke == report.summary.bottleneck
    window.session.select_stroke(3)
    assert view.currentIndex().row() == [cells(k)[0] for k in range(8)].index("1 a")


def test_an_answer_that_comes_when_another_plan_is_in_view_is_not_chosen_there(station, window, qtbot):
    form = station.hands
    window.session.strokes.set_text("? ? ? ? | ? ? ? ? |", "Text", None)
    press(form.find_button)
    qtbot.waitUntil(lambda: form.found is not None, timeout=10_000)
    late, form.found = form.found, None
    window.session.show_plan("gangway")
    form.answered(late)
    assert form.list.currentRow() == 0 and form.rows[0].text == window.session.text
    assert all(row.source != FOUND for row in form.rows)


def test_a_closed_table_hears_nothing_though_python_still_holds_it(station, window, qapp, qtbot):
    QTest.keyClick(window, Qt.Key.Key_F9)
    dialog = window.findChild(StrokesDialog)
    held = dialog.table
    with qtbot.captureExceptions() as caught:
        QTest.keyClick(dialog, Qt.Key.Key_Escape)
        qtbot.waitUntil(lambda: not isValid(held), timeout=5_000)
        window.session.select_stroke(3)
    assert not caught, caught[0][1]


def test_a_candidate_that_only_says_who_goes_over_is_not_called_the_plans_own(station, window, qtbot):
    window.session.strokes.set_text("/4 R@sn L@sn R@sn L@ft", "Text", None)
    window.session.select_finding(next(f for f in window.session.report.findings if f.kind == "crossover"))
    press(station.try_it)
    qtbot.waitUntil(lambda: len(window.session.stickings.candidates) > 2, timeout=10_000)
    said = station.findings.currentItem().data(Qt.ItemDataRole.AccessibleTextRole)
    assert "Settled by: left hand over on 4 or right hand over on 4. Removed by: " in said
    words = {row.name: differs_words(row.row) for row in station.hands.rows}
    assert words["left hand over on 4"] == "other marks on 1 stroke"
    assert next(iter(words.values())) == "the plan's own"


def test_what_removes_a_finding_is_of_the_state_it_was_asked_in(station, window, qtbot):
    session = window.session
    session.strokes.set_text("/16 R@ft L@hh R@hh L@ft R@t1 L@ft R@hh L", "Text", None)
    session.plans.set_tempo(150)
    session.select_finding(session.report.said[0])
    kept = len(session.stickings.candidates)
    press(station.try_it)
    session.plans.set_tempo(152)
    assert QThreadPool.globalInstance().waitForDone(60_000)
    qtbot.wait(50)
    assert len(session.stickings.candidates) == kept, "what was found at 150 BPM is not offered at 152"
    rows = [station.findings.item(k) for k in range(station.findings.count())]
    assert not any("Looking for" in (row.data(REMEDIES) or "") for row in rows)


def test_while_a_drum_is_dragged_the_others_wait_and_hold_again_once_it_is_back(station, window, qtbot, qapp):
    search(station, qtbot)
    window.session.stickings.keep("kept", TEXT.replace("(R L R@rd", "(L R R@rd"))
    qapp.processEvents()
    assert not any(row.old for row in station.hands.rows)
    plan, tom = station.plan, window.session.kit.piece("ft")
    at = plan.to_px(tom.x, tom.y)
    drag(plan, at, at + QPointF(12, -8), release=False)
    qtbot.waitUntil(lambda: all(row.old for row in station.hands.rows[1:]), timeout=3000)
    assert not station.hands.use.isEnabled()
    # Let go, they are judged on the kit as it is now.
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=point(at + QPointF(12, -8)))
    qtbot.waitUntil(lambda: not any(row.old for row in station.hands.rows), timeout=10_000)
    moved = window.session.kit.piece("ft")
    assert (moved.x, moved.y) != (tom.x, tom.y)
    assert all(row.report.table.kit == window.session.kit for row in station.hands.rows)
