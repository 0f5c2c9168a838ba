"""The Reach station, by mouse and keys."""

import numpy as np
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QPainterPath
from PySide6.QtTest import QTest

from deft_reach.app.canvas.explain import stroke_facts
from deft_reach.app.canvas.time_axis import GUTTER
from deft_reach.app.reach.findings_list import FINDING
from deft_reach.core.analysis.playing import Playing
from tests.app.conftest import click, drag


@pytest.fixture
def storm(window):
    window.session.show_plan("storm")
    window.go("reach")
    return window


def test_the_header_says_what_is_always_true(storm):
    header = storm.header
    assert header.plans.currentText() == "Storm at the breakwater"
    assert header.tempo.value() == 118
    assert header.limit.value.text() == "breaks at 108" and "BPM · 9 % above the limit" in header.limit.caption.text()
    assert header.ease.value.text() == "impossible" and "ease 0 of 100" in header.ease.caption.text()
    assert header.committed.text().startswith("committed 30 Oct at 100 BPM · 4 changes since")
    assert "at 100 BPM" in header.committed.toolTip() and "home tempo 100 → 118 BPM" in header.committed.toolTip()


def test_a_click_on_a_stroke_selects_it_everywhere(storm):
    session, weave, lane = storm.session, storm.reach_station.weave, storm.reach_station.lane
    report = session.report
    rows = weave.rows(report)
    click(weave, QPointF(weave.axis.x(report.pattern.starts[10]), rows[report.strokes[10].voice]))
    assert session.stroke == 10
    click(lane, QPointF(lane.axis.x(report.pattern.starts[3]), lane.y_at(report.strokes[3].limb)))
    assert session.stroke == 3
    assert "stroke 4 of 19" in storm.reach_station.plan_panel.note.text()
    storm.reach_station.tabs.setCurrentWidget(storm.reach_station.card)
    assert "right hand on the rack tom" in storm.reach_station.card.headline.text()
    storm.go("write")
    marks = storm.write_station.editor.extraSelections()
    assert [m.cursor.selectedText() for m in marks] == ["R@t1"]


def test_weave_and_lane_share_their_time_axis_to_the_pixel(storm):
    weave, lane = storm.reach_station.weave, storm.reach_station.lane
    assert weave.width() == lane.width() and weave.x() == lane.x()
    assert weave.axis is lane.axis


def test_arrow_keys_walk_through_the_strokes(storm):
    session, weave = storm.session, storm.reach_station.weave
    weave.setFocus()
    QTest.keyClick(weave, Qt.Key.Key_Home)
    assert session.stroke == 0
    QTest.keyClick(weave, Qt.Key.Key_Right)
    QTest.keyClick(weave, Qt.Key.Key_Right)
    assert session.stroke == 2
    QTest.keyClick(weave, Qt.Key.Key_Left)
    QTest.keyClick(weave, Qt.Key.Key_End)
    assert session.stroke == 18


def test_keys_rewrite_the_selected_stroke_and_undo_takes_it_back(storm):
    session, lane = storm.session, storm.reach_station.lane
    before = session.text
    lane.setFocus()
    session.select_stroke(1)
    QTest.keyClicks(lane, "r")
    assert session.report.strokes[1].limb == "R"
    QTest.keyClicks(lane, "t")
    assert session.report.strokes[1].limb == "L"
    QTest.keyClicks(lane, ">")
    assert session.report.strokes[1].marks == ">"
    QTest.keyClicks(lane, "f")
    assert session.report.strokes[1].grace == "f"
    for _ in range(4):
        QTest.keyClick(storm, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.text == before and session.undo_label is None


def test_a_finding_selects_its_strokes_and_says_what_would_help(storm):
    session, findings = storm.session, storm.reach_station.findings
    assert findings.count() == len(session.report.findings)
    row = next(i for i in range(findings.count()) if "no time" in findings.item(i).text())
    findings.scrollToItem(findings.item(row))
    click(findings.viewport(), QPointF(findings.visualItemRect(findings.item(row)).center()))
    assert session.finding.kind == "hurried" and session.stroke == session.finding.strokes[0]
    assert "other hand" in findings.item(row).data(Qt.ItemDataRole.AccessibleTextRole)


def test_the_most_serious_findings_stand_first_in_the_larger_half(storm, qtbot):
    findings = storm.reach_station.findings
    shown = [findings.item(row).data(FINDING) for row in range(findings.count())]
    assert [f.severity.rank for f in shown] == sorted((f.severity.rank for f in shown), reverse=True)
    assert set(shown) == set(storm.session.report.findings) and shown[0].severity == "stop"

    def in_sight():
        rows = (findings.visualItemRect(findings.item(row)) for row in range(findings.count()))
        return sum(findings.viewport().rect().contains(row) for row in rows)

    # Several of them can be read without scrolling, once everything is laid out.
    qtbot.waitUntil(lambda: in_sight() >= 4)
    assert "stop" in storm.reach_station.findings_note.text()


def test_pressing_the_red_figures_of_the_header_shows_what_stops(storm):
    for figure in (storm.header.limit, storm.header.ease):
        storm.go("write")
        storm.session.select_finding(storm.session.report.findings[0])
        click(figure, QPointF(figure.rect().center()))
        assert storm.station == "reach" and storm.session.finding.severity == "stop"
    storm.session.show_plan("gangway")
    storm.go("write")
    assert not storm.header.limit.value.property("tone")
    click(storm.header.limit, QPointF(storm.header.limit.rect().center()))
    assert storm.station == "write"


def test_next_finding_from_the_keyboard(storm):
    session, weave = storm.session, storm.reach_station.weave
    weave.setFocus()
    QTest.keyClicks(weave, "n")
    first = session.finding
    QTest.keyClick(storm, Qt.Key.Key_F8)
    assert session.finding == session.report.findings[1]
    QTest.keyClick(storm, Qt.Key.Key_F8, Qt.KeyboardModifier.ShiftModifier)
    assert session.finding == first


def test_a_click_on_a_findings_mark_above_the_weave(storm):
    weave = storm.reach_station.weave
    finding, rect, _ = weave.placed_findings()[2]
    click(weave, rect.center())
    assert storm.session.finding == finding


def test_dragging_the_home_mark_changes_the_verdict_live(storm, qtbot):
    session, rule = storm.session, storm.reach_station.rule
    start = QPointF(rule.x_at(118), rule.rule_y - 20)
    seen = []
    session.verdict.connect(lambda: seen.append(session.report.summary.tempo))
    drag(rule, start, QPointF(rule.x_at(90), rule.rule_y - 20))
    assert session.plan.tempo == 90 and len(set(seen)) > 3
    assert "headroom" in storm.header.limit.caption.text()
    QTest.keyClick(storm, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.plan.tempo == 118, "one drag is one step"


def test_tempo_from_the_keyboard_and_the_box(storm):
    session = storm.session
    QTest.keyClick(storm, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert session.plan.tempo == 119
    box = storm.header.tempo
    box.setFocus()
    box.selectAll()
    QTest.keyClicks(box, "77")
    QTest.keyClick(box, Qt.Key.Key_Return)
    assert session.plan.tempo == 77 and session.report.summary.tempo == 77


def test_dragging_a_piece_changes_cost_limit_and_findings_under_the_finger(storm):
    session, plan = storm.session, storm.reach_station.plan
    before, kit = session.report, session.kit
    tom = kit.piece("ft")
    seen = []
    session.verdict.connect(lambda: seen.append(round(session.report.summary.cost, 6)))
    start = plan.to_px(*tom.body)
    end = plan.to_px(tom.body[0] - 90, tom.body[1] + 60)
    drag(plan, start, end, release=False)
    assert len(set(seen)) > 3, "while it moves"
    assert session.piece == "ft"
    moved = session.kit.piece("ft")
    assert moved.x == pytest.approx(tom.x - 90, abs=4) and moved.y == pytest.approx(tom.y + 60, abs=4)
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=end.toPoint())
    assert session.report.summary.cost != before.summary.cost
    assert session.report.strokes[0].reach != before.strokes[0].reach
    assert session.undo_label == "Move floor tom"
    QTest.keyClick(storm, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.kit == kit and session.report.summary.cost == before.summary.cost


def test_the_highest_piece_is_the_one_that_is_taken(storm):
    plan = storm.reach_station.plan
    crash, hat = storm.session.kit.piece("c1"), storm.session.kit.piece("hh")
    between = plan.to_px((crash.body[0] + hat.body[0]) / 2, (crash.body[1] + hat.body[1]) / 2)
    found = plan.piece_at(between)
    assert found is not None and found.code in ("c1", "wb", "hh")
    assert plan.piece_at(plan.to_px(*crash.body)).code == "c1"
    assert plan.piece_at(QPointF(2, 2)) is None


def test_the_poses_drawn_are_the_cores(storm):
    session, plan = storm.session, storm.reach_station.plan
    session.select_stroke(4)
    posture = session.report.postures[session.report.posture_of[4]]
    arms = plan.arms()
    paths = Playing(session.report).arms(float(posture.start))
    assert (arms["L"] == paths["L"]).all() and (arms["R"] == paths["R"]).all(), "where the paths have them then"
    assert tuple(arms["L"][3]) == pytest.approx(session.report.table.points[posture.left])
    assert plan.to_mm(plan.to_px(123.0, 456.0)) == pytest.approx((123.0, 456.0))


def test_zoom_and_pan_keep_lane_and_weave_together(storm):
    axis, weave = storm.reach_station.axis, storm.reach_station.weave
    at = QPointF(GUTTER + 200, 90)
    time = axis.time(at.x())
    axis.zoom(3.0, at.x())
    assert axis.time(at.x()) == pytest.approx(time) and not axis.whole
    left = axis.start
    axis.pan(60)
    assert axis.start > left
    QTest.keyClick(storm, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert axis.whole and weave.axis.start == 0


def test_long_patterns_scroll_to_the_selected_stroke(storm):
    session, axis = storm.session, storm.reach_station.axis
    session.plans.new_plan("Long", "R L R L " * 60)
    storm.go("reach")
    assert not axis.whole
    weave = storm.reach_station.weave
    weave.setFocus()
    QTest.keyClick(weave, Qt.Key.Key_End)
    assert GUTTER < axis.x(session.report.pattern.starts[session.stroke]) < weave.width()


def test_every_drawing_says_in_words_what_it_shows(storm):
    station = storm.reach_station
    storm.session.select_stroke(4)
    assert "arms crossed" in station.plan.accessibleDescription()
    assert "arms crossed at" in station.weave.accessibleDescription()
    assert "19 strokes" in station.lane.accessibleDescription()
    assert "breaks at 108 BPM" in station.rule.accessibleDescription()
    assert "1120 mm" in station.elevation.accessibleDescription()
    for widget in (station.plan, station.weave, station.lane, station.rule, station.elevation, station.findings):
        assert widget.accessibleName() and widget.focusPolicy() != Qt.FocusPolicy.NoFocus


def test_the_other_hand_button(storm):
    session, card = storm.session, storm.reach_station.card
    storm.reach_station.tabs.setCurrentWidget(card)
    session.select_stroke(0)
    before = session.text
    QTest.mouseClick(card.other, Qt.MouseButton.LeftButton)
    assert session.text == before, "compared first, like all that is tried"
    hands = storm.reach_station.hands
    assert hands.chosen.name == "left hand on bar 1, 1"
    QTest.mouseClick(hands.use, Qt.MouseButton.LeftButton)
    assert session.report.strokes[0].limb == "L"
    session.select_stroke(2)
    assert not card.other.isEnabled(), "a foot has no other hand"


def test_threads_pass_over_and_under_as_the_core_says(storm):
    session, weave = storm.session, storm.reach_station.weave
    session.plans.new_plan("There and back", "/8 R@ft L@ft R@t1 L@t1 R@hh L R@ft L@ft R L")
    storm.go("reach")
    report = session.report
    threads = weave.threads(report, weave.rows(report))
    meetings = weave.meetings(report, threads)
    assert meetings
    starts = report.pattern.event_starts
    for x, over in meetings:
        time = weave.axis.time(x)
        around = [p for t, p in zip(starts, report.postures) if abs(t - time) <= 1 / 8 + 1e-6]
        assert over in {p.cross.over for p in around if p.cross is not None}
    session.strokes.set_text("/8 R L R@t1 L@t1 R@ft L@ft", merge=None)
    report = session.report
    assert all(p.cross is None for p in report.postures)
    assert weave.meetings(report, weave.threads(report, weave.rows(report))) == []
    assert weave.crossed_stretches(report) == []


def test_a_thread_is_drawn_where_it_is_computed(storm):
    """The cubic that is drawn and the heights that decide over and under are one curve."""
    weave, report = storm.reach_station.weave, storm.session.report
    thread = weave.threads(report, weave.rows(report))["R"]
    for k in range(1, len(thread.xs)):
        path = QPainterPath(QPointF(thread.xs[k - 1], thread.ys[k - 1]))
        thread.move(path, k)
        for t in (0.1, 0.35, 0.5, 0.8):
            at = path.pointAtPercent(path.percentAtLength(path.length() * t))
            assert float(thread.heights(np.array([at.x()]))[0]) == pytest.approx(at.y(), abs=0.3)


EITHER = "/8 R@hh L@t1 R@hh L@t1 |"


def test_who_goes_over_is_exchanged_by_a_click_on_the_crossing_and_kept_in_the_text(storm):
    session, plan = storm.session, storm.reach_station.plan
    session.strokes.set_text(EITHER, "Text", None)
    session.select_stroke(1)
    before = session.report.postures[1].cross
    assert not before.chosen
    marks = {"L": ("L@t1'", "L@t1,"), "R": ("L@t1,", "L@t1'")}
    other = "L" if before.over == "R" else "R"
    click(plan, plan.cross_place())
    after = session.report.postures[1].cross
    assert after.over == other and after.chosen and marks[other][0] in session.text
    assert session.undo_label == f"Let the {'right' if other == 'R' else 'left'} hand go over"
    click(plan, plan.cross_place())
    assert session.report.postures[1].cross.over == before.over and marks[before.over][0] in session.text
    QTest.keyClick(storm, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    QTest.keyClick(storm, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert session.text == EITHER


def test_who_goes_over_is_exchanged_where_the_threads_meet(storm):
    session, weave = storm.session, storm.reach_station.weave
    session.strokes.set_text("/8 R@t1 L@sn R@sn L@ft R@hh L@sn |", "Text", None)
    report = session.report
    threads = weave.threads(report, weave.rows(report))
    x, over = weave.meetings(report, threads)[0]
    y = float(threads[over].heights(np.array([x]))[0])
    click(weave, QPointF(x, y))
    index = session.stroke
    cross = session.report.postures[session.report.posture_of[index]].cross
    assert cross.chosen and cross.over != over


def test_keys_say_who_goes_over(storm):
    session, plan = storm.session, storm.reach_station.plan
    session.strokes.set_text(EITHER, "Text", None)
    session.select_stroke(3)
    plan.setFocus()
    QTest.keyClicks(plan, "'")
    assert "L@t1'" in session.text and session.report.postures[3].cross.chosen
    QTest.keyClicks(plan, ",")
    assert "L@t1," in session.text and "'" not in session.text, "the one replaces the other"


def test_while_strokes_lack_hands_the_header_has_no_verdict_and_finds_the_hands(storm, qtbot):
    session, header = storm.session, storm.header
    assert not header.find_button.isVisible()
    storm.go("write")
    session.strokes.set_text("/16 ? ? ? ? L ? ? ? |", "Text", None)
    assert not header.limit.isVisible() and header.ease.value.text() == "7 of 8 open"
    assert header.ease.caption.text().startswith("no verdict")
    assert header.find_button.isVisible()
    QTest.mouseClick(header.find_button, Qt.MouseButton.LeftButton)
    form = storm.reach_station.hands
    assert storm.stack.currentWidget() is storm.reach_station
    qtbot.waitUntil(lambda: form.found is not None, timeout=10_000)
    QTest.mouseClick(form.use, Qt.MouseButton.LeftButton)
    assert "?" not in session.text and not header.find_button.isVisible() and header.limit.isVisible()
    assert header.ease.value.text() in ("easy", "busy", "hard")


def test_a_moment_for_three_hands_is_named_and_the_rest_gets_hands(storm, qtbot):
    session, header = storm.session, storm.header
    session.strokes.set_text("/8 ? ? ?@hh+?@sn+?@c1 ? ? ? ? ? |", "Text", None)
    storm.go("reach")
    assert "impossible" in [f.kind for f in session.report.findings]
    QTest.mouseClick(header.find_button, Qt.MouseButton.LeftButton)
    form = storm.reach_station.hands
    qtbot.waitUntil(lambda: form.found is not None, timeout=10_000)
    assert form.words.text().startswith("Bar 1, 2 stays open: two hands have three strokes at once")
    assert "The rest is planned." in form.words.text()
    QTest.mouseClick(form.use, Qt.MouseButton.LeftButton)
    assert session.text.count("?") == 1 and "?@hh" in session.text
    assert header.ease.value.text() == "1 of 10 open"


def test_a_flams_grace_is_a_point_on_the_other_hands_thread(storm):
    session, weave = storm.session, storm.reach_station.weave
    session.strokes.set_text("/8 R L@ft fR@sn L@ft |", "Text", None)
    threads = weave.threads(session.report, weave.rows(session.report))
    left = threads["L"]
    assert left.graces == [False, True, False] and left.strokes == [1, 2, 3]
    session.select_stroke(2)
    assert "flam by left hand, from the floor tom" in weave.accessibleDescription() or (
        "flam by" in storm.reach_station.card.accessibleDescription()
        or "flam" in " ".join(label for label, _ in stroke_facts(session.report, 2))
    )


def test_a_crossing_on_the_way_is_drawn_told_and_exchanged(storm):
    session, station = storm.session, storm.reach_station
    session.strokes.set_text("/16 R@ft L - R@hh L@hh", "Text", None)
    (finding,) = [f for f in session.report.findings if f.kind == "crossover"]
    session.select_finding(finding)
    assert session.stroke == 2 and "on the way" in station.plan.in_words()
    facts = dict(stroke_facts(session.report, 2))
    assert facts["arms"].startswith("cross on the way, right over")
    report = session.report
    places = [(start, end) for start, end, _, _ in station.weave.crossed_stretches(report)]
    x = [station.weave.axis.x(report.pattern.event_starts[event]) for event in (1, 2)]
    assert len(places) == 1 and x[0] < places[0][0] < places[0][1] < x[1]
    click(station.plan, station.plan.cross_place())
    assert "R@hh," in session.text
    assert next(f for f in session.report.findings if f.kind == "crossover").over == "L"


def test_what_is_said_of_a_stroke_agrees_with_the_findings(storm):
    session = storm.session
    session.strokes.set_text("/4 R@sn L@sn R@sn L@ft", "Text", None)
    for index in range(4):
        facts = dict(stroke_facts(session.report, index))
        assert ("comes across" in facts.get("arms", "")) == (index == 3)
        if facts.get("comes from") == "the same place":
            assert "across" not in facts.get("arms", "")


def test_a_mark_that_decides_nothing_is_in_the_list(storm):
    session, findings = storm.session, storm.reach_station.findings
    session.strokes.set_text("/16 R L R' L", "Text", None)
    rows = [findings.item(row).data(FINDING) for row in range(findings.count())]
    (mark,) = [f for f in rows if f.kind == "mark"]
    click(findings.viewport(), QPointF(findings.visualItemRect(findings.item(rows.index(mark))).center()))
    assert session.stroke == 2 and session.finding == mark
    session.plans.set_tempo(130)
    assert session.finding is not None and session.finding.kind == "mark", "it stays chosen"


def test_a_second_pedal_is_offered_and_put_in_by_one_click(storm, qtbot):
    session, station = storm.session, storm.reach_station
    session.kits.remove_piece("jp")
    session.strokes.set_text("/16 R L R L K J R L", "Text", None)
    kit, text = session.kit, session.text
    session.select_finding(next(f for f in session.report.findings if f.kind == "impossible"))
    assert not station.add_pedal.isVisible()
    QTest.mouseClick(station.try_it, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(station.add_pedal.isVisible, timeout=10_000)
    names = [candidate.name for candidate in session.stickings.candidates]
    assert "one foot alone" in names and "add a second pedal" not in names, "another kit is no sticking"
    QTest.mouseClick(station.add_pedal, Qt.MouseButton.LeftButton)
    assert session.kit.of_kind("second-bass-pedal") is not None and not session.report.impossible
    assert not station.add_pedal.isVisible()
    while session.undo_label != "Add second bass pedal":
        session.undo()
    session.undo()
    assert session.kit == kit and session.text == text
