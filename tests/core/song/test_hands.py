"""Hands for all plans of a song at once: each gets those that suit where it is played."""

import pytest

from deft_reach.core import parse
from deft_reach.core.analysis.ranking import better
from deft_reach.core.document import new_document, read_text
from deft_reach.core.search.planner import find_stickings
from deft_reach.core.search.progress import Cancelled, Progress
from deft_reach.core.session import Session
from deft_reach.core.song import analyse_song
from deft_reach.core.song.hands import SongHandsError, find_song_hands
from deft_reach.core.song.sectioning import sections_of

GROOVE = "/8 ?@hh+K ?@hh ?@hh+?@sn> ?@hh ?@hh+K ?@hh ?@hh+?@sn> ?@hh |"
FILL = "/16 ?@sn ?@sn ?@sn ?@sn ?@t1 ?@t1 ?@t1 ?@t1 ?@t2 ?@t2 ?@t2 ?@t2 ?@ft ?@ft ?@ft ?@ft |"


@pytest.fixture
def session():
    session = Session(new_document())
    piece = parse(" ".join([*[GROOVE] * 7, FILL, *[GROOVE] * 5, FILL]))
    session.songs.add_sections("Harbour", sections_of(piece), 110.0)
    return session


def test_every_plan_gets_hands_and_nothing_else_changes(session):
    song = session.songs.song
    texts = {plan: session.document.score(session.document.plan(plan).pattern).text for plan in
             {section.plan for section in song.sections}}  # fmt: skip
    found = find_song_hands(session.document, song)
    assert found.texts.keys() == texts.keys() and found.open == 0
    for plan, text in found.texts.items():
        assert "?" not in text and len(text) == len(texts[plan])
        assert all(a == b or a == "?" for a, b in zip(texts[plan], text))


def test_a_song_with_hands_can_be_played_and_one_step_takes_them_back(session):
    song, before = session.songs.song, session.document
    assert analyse_song(before, song).chain is None
    assert session.songs.give_hands(find_song_hands(before, song).texts, before) == 2
    whole = analyse_song(session.document, song)
    assert len(whole.report.strokes) == 12 * 12 + 2 * 16 and not whole.report.impossible
    assert not any(problem.open_hands for problem in whole.problems)
    session.undo()
    assert session.document == before


def test_right_hand_on_the_hats_and_left_on_the_backbeat(session):
    """Common practice: a right-handed player keeps the hats with the right hand over the left on the snare."""
    found = find_song_hands(session.document, session.songs.song)
    groove = next(text for text in found.texts.values() if "K" in text)
    strokes = read_text(groove, session.kit).strokes
    hats, snares = ({s.limb for s in strokes if s.voice == voice} for voice in ("hh", "sn"))
    assert (hats, snares) == ({"R"}, {"L"})


def test_what_was_edited_meanwhile_keeps_what_it_has(session):
    read = session.document
    found = find_song_hands(read, session.songs.song)
    session.strokes.set_text("R L R L", "Mine", None)
    mine = session.plan.id
    assert session.songs.give_hands(found.texts, read) == len(found.texts) - 1
    assert session.document.score(session.document.plan(mine).pattern).text == "R L R L"


def test_what_has_hands_already_keeps_them(session):
    groove = session.plan
    assert "K" in session.text
    session.strokes.set_text(GROOVE.replace("?@sn", "R@sn").replace("?@hh", "L@hh"), "Open-handed", None)
    found = find_song_hands(session.document, session.songs.song)
    assert groove.id not in found.texts and len(found.texts) == 1


def test_strokes_that_no_hand_can_play_stay_open_and_are_counted(session):
    session.strokes.set_text("/4 ?@hh+?@sn+?@ft R L R |", "Three", None)
    assert find_song_hands(session.document, session.songs.song).open == 1


def test_without_open_strokes_there_is_nothing_to_find(session):
    document = session.document
    session.songs.give_hands(find_song_hands(document, session.songs.song).texts, document)
    with pytest.raises(SongHandsError, match="every stroke of the song has a hand"):
        find_song_hands(session.document, session.songs.song)
    session.songs.change_song("Nothing", sections=())
    with pytest.raises(SongHandsError, match="no plan of the song can be played"):
        find_song_hands(session.document, session.songs.song)


def test_the_search_can_be_stopped(session):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        find_song_hands(session.document, session.songs.song, progress)


def song_of(text, tempo, times=2):
    session = Session(new_document())
    session.songs.add_sections("Pier", sections_of(parse(" ".join([text] * times))), tempo)
    return session


def with_texts(session, texts):
    session.songs.give_hands(texts, session.document)
    return analyse_song(session.document, session.songs.song).report


def test_no_plan_s_own_hands_make_the_song_easier():
    """A section whose end meets its own beginning: the hands of its own loop are looked at as well."""
    text = "/16 ?@ft ?@hh ?@t1 ? ?@hh ?@ft ?@t2 ? ?@hh ?@hh ?@ft ? ?@t1 ?@ft ?@hh ?@ft |"
    session = song_of(text, 110.0)
    pattern = session.document.score(session.document.plan(session.songs.song.sections[0].plan).pattern).text
    plan = session.songs.song.sections[0].plan
    found = with_texts(song_of(text, 110.0), {})
    assert found is None
    first = find_song_hands(session.document, session.songs.song)
    whole = with_texts(session, first.texts)
    alone = find_stickings(read_text(pattern, session.kit), session.kit, session.player, 110.0, best=3, repeat=True)
    for row in alone.best:
        other = song_of(text, 110.0)
        own = other.songs.song.sections[0].plan
        assert not better(with_texts(other, {own: row.text}), whole)
    assert first.texts.keys() == {plan} and not first.tight


def test_where_the_song_stays_under_its_tempo_is_said_with_what_helps():
    session = song_of("/16 ?@ft ?@hh ?@ft ?@hh ?@ft ?@c1 ?@rd ?@hh ?@ft ?@hh ?@rd ?@hh ?@ft ?@c1 ?@ft ?@hh |", 280.0)
    song = session.songs.song
    found = find_song_hands(session.document, song)
    name = session.document.plan(song.sections[0].plan).name
    assert found.tight.startswith(f"“{name}” breaks at ") and "under its 280: " in found.tight and ";" in found.tight
    assert with_texts(session, found.texts).summary.tempo_limit < 280
