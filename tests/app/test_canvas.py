"""The drawings' own geometry: to scale, aligned, and with labels that can be read."""

import itertools

import pytest
from PySide6.QtCore import QEvent, QObject, QPointF, QRectF

from deft_reach.app.canvas import reach_plan
from deft_reach.app.canvas.explain import limb_name, stroke_facts, stroke_words
from deft_reach.app.canvas.time_axis import GUTTER, MIN_STEP
from deft_reach.core import layout
from tests.app.conftest import drag


@pytest.fixture
def station(window):
    window.session.show_plan("storm")
    window.go("reach")
    return window.reach_station


def test_the_plan_is_to_scale_in_both_directions(station):
    plan = station.plan
    across = plan.to_px(500, 0).x() - plan.to_px(0, 0).x()
    forward = plan.to_px(0, 0).y() - plan.to_px(0, 500).y()
    assert across == pytest.approx(forward) == pytest.approx(500 * plan.mm)


@pytest.mark.parametrize("name", ["compact", "five", "five-double", "large", "pit"])
def test_every_piece_is_in_view_whatever_the_kit(window, name):
    window.session.kits.use_layout(name)
    window.go("kit")
    plan = window.kit_station.plan
    for piece in window.session.kit:
        radius = piece.diameter / 2 * plan.mm
        at = plan.to_px(*piece.body)
        assert QRectF(plan.rect()).contains(QRectF(at.x() - radius, at.y() - radius, 2 * radius, 2 * radius)), (
            piece.code
        )


def test_the_frame_stays_while_a_piece_is_dragged_out_of_it(window):
    window.go("kit")
    plan = window.kit_station.plan
    bell = window.session.kit.piece("bl")
    frame = plan.frame
    start = plan.to_px(*bell.body)
    drag(plan, start, start + QPointF(60, 0), release=False)
    assert plan.frame == frame
    drag(plan, start + QPointF(60, 0), start + QPointF(61, 0))
    assert plan.frame != frame and plan.frame[1] > frame[1]


def test_the_elevation_from_the_side_shares_the_plans_depth(station):
    elevation, plan = station.elevation, station.plan
    elevation.set_from_side(True)
    a, b = elevation.to_px(0, 0, 700), elevation.to_px(0, 400, 700)
    assert b.x() - a.x() == pytest.approx(400 * min(plan.mm, elevation.across_mm()), rel=0.01)
    assert "from the side" in elevation.in_words()
    snare = station.session.kit.piece("sn")
    at = elevation.to_px(*snare.body, snare.z)
    drag(elevation, at, at + QPointF(40 * elevation.across_mm(), 0))
    moved = station.session.kit.piece("sn")
    assert moved.y == pytest.approx(snare.y + 40, abs=4) and moved.x == snare.x


def test_higher_is_higher_up(station):
    elevation = station.elevation
    heights = [elevation.to_px(0, 0, z).y() for z in (600, 700, 1000, 1300)]
    assert heights == sorted(heights, reverse=True)


def test_rows_of_the_weave_go_from_left_to_right_and_never_collide(window):
    voices = ("hh", "c1", "sn", "t1", "rd", "ft", "wb")
    window.session.plans.new_plan("Round", " ".join(f"{'RL'[i % 2]}@{v}" for i, v in enumerate(voices)))
    window.go("reach")
    weave, report = window.reach_station.weave, window.session.report
    rows = weave.rows(report)
    order = sorted(rows, key=rows.get)
    assert set(order) == set(voices)
    assert order.index("hh") < order.index("sn") < order.index("ft"), "far left on top"
    ys = sorted(rows.values())
    assert min(b - a for a, b in itertools.pairwise(ys)) >= 13


def test_two_hands_on_one_voice_run_beside_each_other(window):
    window.session.plans.new_plan("Together", "R L R L")
    window.go("reach")
    weave, report = window.reach_station.weave, window.session.report
    threads = weave.threads(report, weave.rows(report))
    assert abs(threads["R"].ys[-1] - threads["L"].ys[-1]) == pytest.approx(9)


def test_the_time_axis_goes_there_and_back(station):
    axis = station.axis
    for time in (0.0, 0.3, 0.75):
        assert axis.time(axis.x(time)) == pytest.approx(time)
    assert axis.x(0) >= GUTTER


def test_a_step_is_never_too_narrow_to_read(window):
    window.session.plans.new_plan("Dense", "/32 " + "R L " * 64)
    window.go("reach")
    axis = window.reach_station.axis
    assert axis.scale / 32 >= MIN_STEP and not axis.whole
    axis.zoom(0.0001, 300)
    assert axis.whole, "zoomed out, it is all there"
    axis.zoom(1e9, 300)
    assert axis.scale <= 4000


def test_marks_on_the_tempo_rule_stand_at_their_limits(station):
    rule, report = station.rule, station.session.report
    marks = rule.marks()
    assert marks
    for x, y, index in marks:
        assert rule.bpm(x) == pytest.approx(report.strokes[index].tempo_limit, abs=1.5 * (rule.bpm(5) - rule.bpm(0)))
        assert rule.rule_y - 45 < y <= rule.rule_y
    assert len({(x, y) for x, y, _ in marks}) == len(marks), "they pile up and do not cover each other"


def test_a_stroke_in_words_has_every_number_with_its_unit(station):
    report = station.session.report
    facts = dict(stroke_facts(report, 9))
    assert facts["comes from"] == "rack tom, 525 mm away"
    assert facts["has"] == "127 ms, needs 136 ms"
    assert "past the limit" in facts["pace"] and facts["breaks at"] == "111 BPM"
    assert facts["reach"].endswith("% of the arm")
    assert stroke_words(report, 9).startswith("bar 1, 3 e: right hand on the floor tom; ")


def test_feet_are_called_by_their_side():
    kit = layout("five")
    assert limb_name(kit, "K") == "right foot" and limb_name(kit, "H") == limb_name(kit, "J") == "left foot"
    assert limb_name(kit.mirror(), "K") == "left foot" and limb_name(kit.mirror(), "R") == "right hand"


def test_what_does_not_move_is_painted_once_while_it_is_played(window, qtbot, monkeypatch):
    """Only body, arms and the pedals that are struck are drawn in every frame; names stay where they are."""
    window.go("reach")
    station = window.reach_station
    counts = {"pieces": 0, "names": 0, "arms": 0}

    def counted(name, draw):
        def drawn(*args, **named):
            counts[name] += 1
            return draw(*args, **named)

        return drawn

    for name, function in (("pieces", "draw_pieces"), ("names", "draw_labels"), ("arms", "draw_arms")):
        monkeypatch.setattr(reach_plan, function, counted(name, getattr(reach_plan, function)))
    session = window.session
    session.set_position(0.0)
    first = station.plan.grab().toImage()
    for k in range(1, 9):
        session.set_position(k / 32)
        station.plan.grab()
    assert counts["arms"] >= 9 and counts["pieces"] == counts["names"] == 1
    session.set_position(0.0)
    assert station.plan.grab().toImage() == first, "the same moment looks the same"
    # Another kit, or another size, is another picture.
    session.kits.move_piece("t1", -100, 560)
    station.plan.grab()
    assert counts["pieces"] == 2
    session.set_position(None)
    before = counts["pieces"]
    station.plan.grab()
    assert counts["pieces"] == before + 1


def test_the_playing_position_draws_only_where_it_was_and_is(window, qapp):
    window.go("reach")
    weave = window.reach_station.weave
    regions = []

    class Watch(QObject):
        def eventFilter(self, watched, event):
            if event.type() == QEvent.Type.Paint:
                regions.append(event.region().boundingRect().width())
            return False

    watch = Watch()
    window.session.set_position(0.0)
    qapp.processEvents()
    weave.installEventFilter(watch)
    for k in range(1, 5):
        window.session.set_position(k / 64)
        qapp.processEvents()
    weave.removeEventFilter(watch)
    assert regions and max(regions) < weave.width() / 3
