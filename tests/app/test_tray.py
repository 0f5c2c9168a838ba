"""Other hands and the candidate tray, by clicks and keys."""

from itertools import pairwise

import pytest
from PySide6.QtCore import QPoint, Qt, QThreadPool
from PySide6.QtTest import QTest

from deft_reach.app.offers.candidate_preview import CandidateThreads
from deft_reach.app.reach.findings_list import REMEDIES
from deft_reach.app.reach.tray import differs_words
from deft_reach.core import analyse
from deft_reach.core.analysis.difficulty import LEVELS
from deft_reach.core.analysis.ranking import better
from deft_reach.core.motion.cost import TERM_NAMES
from deft_reach.formats.document import dump_document, load_document

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


def show(station, name):
    bar = station.tabs.tabBar()
    at = next(k for k in range(bar.count()) if bar.tabText(k).startswith(name))
    QTest.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar.tabRect(at).center())


def pick(box, text):
    box.setFocus()
    for _ in range(box.count()):
        QTest.keyClick(box, Qt.Key.Key_Up)
    while not box.currentText().startswith(text):
        QTest.keyClick(box, Qt.Key.Key_Down)


def take(tray, words):
    """From the menu of "Use part"."""
    tray.parts.aboutToShow.emit()
    tray.parts.setActiveAction(next(a for a in tray.parts.actions() if a.text() == words))
    QTest.keyClick(tray.parts, Qt.Key.Key_Return)


def search(station, qtbot):
    press(station.rethink.find_button)
    qtbot.waitUntil(lambda: station.rethink.found is not None, timeout=5000)


def test_a_sticking_in_the_tray_is_drawn_and_heard(station, window, qapp, monkeypatch):
    from deft_reach.app.shell import transport as module

    monkeypatch.setattr(module, "open_output", lambda source: None)
    window.transport.timer.setInterval(10**6)
    other = TEXT.replace("(R L R@rd L@hh)", "(L R R@rd L@hh)")
    window.session.stickings.keep("other", other)
    show(station, "Tray")
    assert not station.candidate.active
    station.tray.list.setFocus()
    QTest.keyClick(station.tray.list, Qt.Key.Key_Down)
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
    QTest.keyClick(station.tray.list, Qt.Key.Key_Up)
    assert not station.candidate.active and station.threads.currentWidget() is not threads
    QTest.keyClick(station.tray.list, Qt.Key.Key_Down)
    show(station, "This stroke")
    assert not station.candidate.active, "only while the tray is in view"
    show(station, "Tray")
    assert station.candidate.active
    window.session.strokes.set_limb(0, "L")
    assert not station.candidate.active or station.candidate.main.text == window.session.text


def test_the_colours_of_the_cost_bars_are_named(station, window):
    show(station, "Tray")
    terms = window.session.report.summary.terms
    named = station.tray.legend.accessibleDescription().split(", ")
    assert named == [TERM_NAMES[t] for t in sorted(terms, key=lambda t: -terms[t]) if terms[t] > 0.005]


def test_the_best_hands_are_found_and_used(station, window, qtbot):
    show(station, "Other hands")
    before = window.session.report
    search(station, qtbot)
    table = station.rethink.table
    found = station.rethink.found.best
    levels = [LEVELS.index(row.report.summary.level) for row in found]
    assert levels == sorted(levels) and not better(before, found[0].report)
    assert "weighed" in station.rethink.words.text()
    assert "(" not in table.item(0, 2).text() and "(" in table.item(1, 2).text(), "held against the first one"
    assert table.item(0, 0).text() == found[0].kind and "BPM" in table.item(0, 3).text()
    assert table.item(0, 6).text() == f"{found[0].cost:.1f}"
    table.setFocus()
    QTest.keyClick(table, Qt.Key.Key_Down)
    wanted = station.rethink.found.best[1].text
    press(station.rethink.use)
    assert window.session.text == wanted and window.session.undo_label == "Other hands"
    assert not station.rethink.use.isEnabled() and not station.candidate.active, "what is used is no offer any more"
    assert table.rowCount() == len(found), "the others are still answers"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    assert window.session.text == TEXT


def test_only_a_part_by_a_school(station, window, qtbot):
    show(station, "Other hands")
    window.session.select_stroke(5)
    pick(station.rethink.which, "this group")
    pick(station.rethink.school, "strictly")
    search(station, qtbot)
    for row in station.rethink.found.best:
        limbs = row.pattern.sticking.split()
        assert limbs[:4] == ["R", "L", "R", "L"], "the other group stays"
        assert all(a != b for a, b in pairwise(limbs[4:]))


def test_questions_about_nothing_say_what_to_do(station, window):
    show(station, "Other hands")
    pick(station.rethink.which, "strokes written ?")
    press(station.rethink.find_button)
    assert "written ?" in station.rethink.words.text()
    window.session.select_finding(None)
    window.session.select_stroke(0)
    pick(station.rethink.which, "strokes of the finding")
    press(station.rethink.find_button)
    assert "Choose a finding" in station.rethink.words.text()


def test_an_impossible_school_is_refused_in_words(station, window, qtbot):
    window.session.strokes.set_text("/8 ?@hh ?@hh ?@hh", "Text", None)
    show(station, "Other hands")
    pick(station.rethink.which, "strokes written ?")
    pick(station.rethink.school, "strictly")
    pick(station.rethink.hat, "open-handed")
    press(station.rethink.find_button)
    qtbot.waitUntil(lambda: "No sticking" in station.rethink.words.text(), timeout=5000)


def test_keep_compare_and_use(station, window, qtbot):
    show(station, "Other hands")
    search(station, qtbot)
    station.rethink.table.setFocus()
    QTest.keyClick(station.rethink.table, Qt.Key.Key_Down)
    press(station.rethink.keep)
    press(station.rethink.lead)
    show(station, "Tray")
    tray = station.tray
    names = [row.candidate.name for row in tray.rows]
    assert names[0] == "as it stands" and "free 2" in names and len(names) == 4
    for row in tray.rows[1:]:
        alone = analyse(
            row.report.pattern, window.session.kit, window.session.player, window.session.plan.tempo, repeat=True
        )
        assert row.report.summary.cost == pytest.approx(alone.summary.cost)
    assert tray.rows[0].differs == () and tray.rows[1].differs
    tray.list.setFocus()
    QTest.keyClick(tray.list, Qt.Key.Key_Down)
    wanted = tray.rows[1].candidate.text
    press(tray.use)
    assert window.session.text == wanted
    assert any(c.text == TEXT for c in window.session.stickings.candidates), "the one before is kept"
    kept = load_document(dump_document(window.session.document))
    assert kept.plan("Rethink").candidates == window.session.stickings.candidates, "the tray is saved with the plan"
    QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
    tray.list.setFocus()
    QTest.keyClick(tray.list, Qt.Key.Key_Home)
    QTest.keyClick(tray.list, Qt.Key.Key_Down)
    window.session.select_stroke(1)
    take(tray, "this group")
    limbs = [s.limb for s in window.session.pattern().strokes]
    wanted_limbs = [s.limb for s in tray.rows[1].report.pattern.strokes]
    assert limbs[:4] == wanted_limbs[:4] and limbs[4:] == ["R", "L", "R", "L"]
    press(tray.drop)
    assert len(tray.rows) == 3


def test_try_it_puts_what_would_help_in_the_tray(station, window, qtbot):
    crossover = next(f for f in window.session.report.findings if f.kind == "crossover")
    window.session.select_finding(crossover)
    press(station.try_it)
    qtbot.waitUntil(lambda: bool(window.session.stickings.candidates), timeout=5000)
    assert station.tabs.currentWidget() is station.tray
    row = station.tray.rows[station.tray.list.currentRow()]
    assert "hand" in row.candidate.name and set(crossover.strokes) & set(row.differs)
    starts = {window.session.report.pattern.strokes[i].start for i in crossover.strokes}
    for row in station.tray.rows[1:]:
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
    show(station, "Other hands")
    press(station.rethink.hats)
    qtbot.waitUntil(lambda: len(window.session.stickings.candidates) == 2, timeout=5000)
    show(station, "Tray")
    names = {row.candidate.name: row for row in station.tray.rows}
    hands = {n: {s.limb for s in r.report.pattern.strokes if s.voice == "hh"} for n, r in names.items()}
    assert hands["hi-hat crossed"] == {"R"} and hands["open-handed"] == {"L"}


def test_the_card_says_what_the_other_hand_would_cost(station, window):
    window.session.select_stroke(1)
    names = [n.text() for n in station.card.names]
    value = station.card.values[names.index("other hand")].text()
    assert "costs" in value and "BPM" in value


def test_a_full_tray_says_so_and_keeps_what_it_has(station, window, qtbot):
    for k in range(6):
        window.session.stickings.keep(f"kept {k}", "R L " * (k + 1))
    crossover = next(f for f in window.session.report.findings if f.kind == "crossover")
    window.session.select_finding(crossover)
    press(station.try_it)
    qtbot.waitUntil(lambda: "full" in station.tray.words.text(), timeout=5000)
    assert [c.name for c in window.session.stickings.candidates] == [f"kept {k}" for k in range(6)]


def test_while_a_drum_is_dragged_the_other_hand_is_tried_once_it_rests(station, window, qtbot):
    window.session.select_stroke(1)
    at = [n.text() for n in station.card.names].index("other hand")
    before = station.card.values[at].text()
    tom = window.session.kit.piece("ft")
    window.session.kits.move_piece("ft", tom.x - 150, tom.y)
    assert station.card.values[at].text() == "…", "not a number of the kit as it was"
    qtbot.waitUntil(lambda: "costs" in station.card.values[at].text(), timeout=3000)
    assert station.card.values[at].text() != before


def test_a_part_from_the_selected_stroke_on_or_up_to_it(station, window):
    window.session.stickings.keep("exchanged", TEXT.translate(str.maketrans("RL", "LR")))
    show(station, "Tray")
    tray = station.tray
    tray.list.setFocus()
    QTest.keyClick(tray.list, Qt.Key.Key_Down)
    limbs = lambda: "".join(s.limb for s in window.session.pattern().strokes)  # noqa: E731
    for words, wanted in (
        ("this stroke", "RLRLRRRL"),
        ("from this stroke on", "RLRLRRLR"),
        ("up to this stroke", "LRLRLRRL"),
        ("this bar", "LRLRLRLR"),
    ):
        window.session.select_stroke(5)
        take(tray, words)
        assert limbs() == wanted, words
        QTest.keyClick(window, Qt.Key.Key_Z, CTRL)
        assert limbs() == "RLRLRLRL"


def test_a_search_can_be_stopped(station, window, qtbot):
    window.session.strokes.set_text("/32 " + "? R@t1 ?@ft ?@rd L@hh ? " * 400, "Text", None)
    show(station, "Other hands")
    form = station.rethink
    press(form.find_button)
    assert form.find_button.text() == "Stop"
    qtbot.waitUntil(lambda: "Searching …" in form.words.text(), timeout=10_000)
    press(form.find_button)
    assert form.find_button.text() == "Find the best hands" and "Stopped" in form.words.text()
    qtbot.wait(50)
    assert form.found is None and form.table.rowCount() == 0


def test_the_strokes_as_a_table_sort_and_select(station, window):
    show(station, "Strokes")
    view, report = station.strokes.view, window.session.report
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


def test_a_candidate_that_only_says_who_goes_over_is_not_called_the_plans_own(station, window, qtbot):
    window.session.strokes.set_text("/4 R@sn L@sn R@sn L@ft", "Text", None)
    window.session.select_finding(next(f for f in window.session.report.findings if f.kind == "crossover"))
    press(station.try_it)
    qtbot.waitUntil(lambda: len(window.session.stickings.candidates) > 2, timeout=10_000)
    said = station.findings.currentItem().data(Qt.ItemDataRole.AccessibleTextRole)
    assert "Settled by: left hand over on 4 or right hand over on 4. Removed by: " in said
    show(station, "Tray")
    words = {row.candidate.name: differs_words(row) for row in station.tray.rows}
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
