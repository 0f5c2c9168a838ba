"""What fills the minutes of a day: no more than there are, nothing that is done, and in a teacher's order."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core.document import Commitment, Document, Plan, Score, Section, Song, new_document
from deft_reach.core.practice.day import (
    BREAK,
    CHUNK,
    COMMIT,
    DUE,
    RUNGS,
    SONG,
    TAKE,
    TEST,
    WARM_UP,
    WRITE,
    Played,
)
from deft_reach.core.practice.forecast import forecast
from deft_reach.core.practice.progress_log import CLEAN, PlanPractice, Point, RecentTry
from deft_reach.core.practice.today import LONGEST_INTERVAL, UNBROKEN_MIN, held_days, interval, plan_today

TODAY = date(2026, 3, 20)
EASY = "/8 R L R L R L R L |"
HARD = "/16 (R@ft> L. K R@t1) (L@ft> K R L@ft.) (R@t1 R@ft R@rd) (L@rd> K L@hh) R@c1>+K - |"


def document(*texts, committed=None, songs=()):
    blank = new_document()
    names = [f"plan {k}" for k in range(len(texts))]
    plans = tuple(Plan(f"p{k}", name, f"s{k}", "five", "player", 118.0) for k, name in enumerate(names))
    kit, player = blank.kits[0], blank.players[0]
    frozen = tuple(
        Commitment(f"c{plan.id}", plan.id, "2026-02-01T10:00:00+00:00", "", texts[k], plan.tempo, False, kit, player,
                   1.0, 50.0)
        for k, plan in enumerate(plans) if committed is None or k in committed
    )  # fmt: skip
    return Document(
        id="d", players=blank.players, kits=blank.kits,
        patterns=tuple(Score(f"s{k}", name, text) for k, (name, text) in enumerate(zip(names, texts))),
        plans=plans, commitments=frozen, songs=songs,
    )  # fmt: skip


def practised(*tries, plan=0):
    """Practice of a plan: tempo, verdict and how many days ago, the oldest first."""
    rows = tuple(RecentTry(tempo, verdict, TODAY - timedelta(days=ago)) for tempo, verdict, ago in tries)
    clean = max((t.tempo for t in rows if t.verdict == "clean"), default=None)
    last = datetime.combine(rows[-1].day, datetime.min.time(), UTC)
    return {f"d/p{plan}": PlanPractice(len(rows), 60.0 * len(rows), clean, last, rows)}


def kinds(day):
    return [item.what for item in day.items]


def test_with_nothing_written_or_committed_it_says_what_comes_first():
    nothing = plan_today(document(""), Played(), 30, TODAY)
    assert kinds(nothing) == [WRITE] and nothing.minutes == 0
    drafted = plan_today(document(EASY, committed=()), Played(), 30, TODAY)
    assert kinds(drafted) == [COMMIT] and drafted.items[0].plan == "p0" and "commit" in drafted.items[0].why
    unsettled = plan_today(document("? ? R L", committed=()), Played(), 30, TODAY)
    assert kinds(unsettled) == [WRITE], "what has open hands cannot be practised"


def test_what_is_committed_and_new_begins_slowly():
    day = plan_today(document(HARD), Played(), 20, TODAY)
    assert kinds(day) == [WARM_UP, RUNGS] and day.minutes == 20
    assert all(item.tempo <= 0.5 * 118 for item in day.items) and day.forecasts == ()
    # Of many new ones few at a time.
    many = plan_today(document(EASY, HARD, EASY), Played(), 20, TODAY)
    assert {item.plan for item in many.items if item.what == RUNGS} == {"p0"}


def test_a_day_has_a_warm_up_what_is_due_the_part_that_breaks_rungs_and_a_take():
    practice = {
        **practised((118.0, "clean", 20), (118.0, "clean", 9), plan=0),
        **practised((100.0, "clean", 4), (104.0, "rough", 4), (106.0, "clean", 3), plan=1),
    }
    log = Played(practice, tested=TODAY - timedelta(days=9))
    day = plan_today(document(EASY, HARD), log, 40, TODAY)
    found = kinds(day)
    assert found[:4] == [WARM_UP, DUE, CHUNK, RUNGS] and found[-1] == TAKE
    by = {item.what: item for item in reversed(day.items)}
    assert by[DUE].plan == "p0" and by[DUE].tempo == 118 and "held on 2 days" in by[DUE].why
    assert by[CHUNK].plan == by[RUNGS].plan == by[TAKE].plan == "p1" and by[CHUNK].stage
    assert 106 < by[RUNGS].tempo <= 118 and by[WARM_UP].tempo < 0.75 * 118
    assert 36 <= day.minutes <= 40


def test_what_held_often_comes_back_later_and_what_failed_sooner():
    """Common practice: ever longer times between reviews of what holds."""
    assert [interval(days) for days in (1, 2, 3, 4, 9)] == [2, 4, 8, 16, LONGEST_INTERVAL]
    held = practised(*[(118.0, "clean", ago) for ago in (30, 24, 18, 9)])["d/p0"]
    fell = practised((118.0, "clean", 30), (118.0, "clean", 24), (118.0, "not-yet", 20), (118.0, "clean", 9))["d/p0"]
    assert held_days(held, 118) == 4 and held_days(fell, 118) == 1

    def due(practice):
        both = {"d/p0": practice, **practised((90.0, "clean", 1), plan=1)}
        return DUE in kinds(plan_today(document(EASY, HARD), Played(both), 12, TODAY))

    assert not due(held) and due(fell)


def test_what_was_played_today_is_taken_off_and_not_asked_again():
    practice = practised((100.0, "clean", 3), (104.0, "clean", 0))
    day = plan_today(document(HARD), Played(practice, minutes={"d/p0": 12.0}, chunked=frozenset({"d/p0"})), 30, TODAY)
    assert day.minutes <= 18 and WARM_UP not in kinds(day) and CHUNK not in kinds(day)
    taken = plan_today(document(HARD), Played(practice, took=TODAY, tested=TODAY), 30, TODAY)
    assert not {TAKE, TEST} & set(kinds(taken))
    over = plan_today(document(HARD), Played(practice, minutes={"d/p0": 30.5}), 30, TODAY)
    assert over.items == () and over.played == 30.5
    assert len(over.cautions) == 1 and "dBA" in over.cautions[0], "ears are counted all the same"


def test_a_song_whose_plans_are_home_is_played_through():
    songs = (Song("song", "The crossing", (Section("p0"), Section("p1"))),)
    practice = {
        **practised((118.0, "clean", 5), (118.0, "clean", 1), plan=0),
        **practised((118.0, "clean", 5), (118.0, "clean", 1), plan=1),
    }
    day = plan_today(document(EASY, EASY, songs=songs), Played(practice), 30, TODAY)
    song = next(item for item in day.items if item.what == SONG)
    assert song.plan == "song" and song.name == "The crossing" and "never yet" in song.why
    lately = {**practice, "d/chain song": next(iter(practised((118.0, "clean", 1)).values()))}
    assert SONG not in kinds(plan_today(document(EASY, EASY, songs=songs), Played(lately), 20, TODAY))


practices = st.lists(
    st.tuples(st.integers(50, 130).map(float), st.sampled_from(["clean", "rough", "not-yet"]), st.integers(0, 60)),
    min_size=1, max_size=12,
).map(lambda rows: sorted(rows, key=lambda row: -row[2]))  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(st.none() | practices, min_size=1, max_size=4), st.integers(5, 120), st.integers(0, 130))
def test_any_log_gives_a_day_within_its_minutes_with_breaks(logs, minutes, over):
    practice = {}
    for k, rows in enumerate(logs):
        if rows is not None:
            practice.update(practised(*rows, plan=k))
    log = Played(practice, minutes={"d/p0": float(over)} if over else {})
    day = plan_today(document(*[HARD if k % 2 else EASY for k in range(len(logs))]), log, minutes, TODAY)
    assert day.minutes <= max(0, minutes - over) + 1e-9
    assert (day.items == ()) == (minutes - over < 1)
    assert all(item.minutes > 0 and item.why for item in day.items)
    if minutes - over >= 10:
        assert day.minutes >= 0.6 * (minutes - over), "the time is used"
    unbroken = longest = 0.0
    for item in day.items:
        unbroken = 0.0 if item.what == BREAK else unbroken + item.minutes
        longest = max(longest, unbroken)
    assert longest <= UNBROKEN_MIN + 10
    assert day == plan_today(document(*[HARD if k % 2 else EASY for k in range(len(logs))]), log, minutes, TODAY)


def points(*tempi):
    first = datetime(2026, 2, 1, 18, tzinfo=UTC)
    return [Point(first + timedelta(days=2 * k), tempo, "clean") for k, tempo in enumerate(tempi)]


def test_a_forecast_follows_the_rate_and_says_nothing_of_a_thin_or_level_log():
    assert forecast(points(80, 84, 88), 118) is None
    assert forecast(points(90, 90, 91, 90, 90, 91), 118) is None
    assert forecast(points(100, 110, 114, 118), 118) is None, "it is home"
    quick, slow = forecast(points(80, 86, 92, 98, 104), 118), forecast(points(80, 82, 84, 86, 88), 118)
    assert quick.low <= quick.sessions <= quick.high and quick.sessions < slow.sessions
    rough = forecast(points(80, 88, 90, 100, 102), 118)
    assert rough.high - rough.low > quick.high - quick.low, "the less even the climb, the less is known"
    assert forecast([replace_verdict(p) for p in points(80, 86, 92, 98)], 118) is None


def replace_verdict(point):
    return point._replace(verdict="rough")


def test_the_minutes_have_to_be_some():
    with pytest.raises(ValueError, match="expected 5 to 240 min"):
        plan_today(document(EASY), Played(), 2, TODAY)


def test_what_only_rested_is_due_and_shown_as_home():
    practice = practised(*[(118.0, "clean", ago) for ago in (60, 55, 50, 45)])
    day = plan_today(document(EASY), Played(practice), 20, TODAY)
    assert DUE in kinds(day) and all(item.tempo > 118 for item in day.items if item.what == RUNGS)
    assert [row.state for row in day.progress] == [CLEAN] and replace(day.progress[0], stuck=False).clean_tempo == 118
