"""A long search tells how far it is, and stops when asked."""

import pytest

from deft_reach.core import Player, layout, parse
from deft_reach.core.search.planner import find_stickings
from deft_reach.core.search.progress import Cancelled, Progress
from deft_reach.core.search.voicing import find_voicings

OPEN = parse("/16 " + "? R@t1 ?@ft ?@rd L@hh ? ? ?@sn " * 8)
SETTLED = parse("/16 " + "R L R L " * 6)
SEARCHES = {
    "stickings": lambda progress: find_stickings(OPEN, layout("five"), Player(), 120, repeat=True, progress=progress),
    "voicings": lambda progress: find_voicings(
        SETTLED, layout("five"), Player(), 120, ["sn", "t1", "ft", "rd"], repeat=True, progress=progress
    ),
}


@pytest.mark.parametrize("search", SEARCHES.values(), ids=SEARCHES)
def test_a_watched_search_finds_the_same_and_tells_more_and_more(search, monkeypatch):
    monkeypatch.setattr("deft_reach.core.search.progress.EVERY", 0.0)
    heard = []
    watched = search(Progress(lambda looked, of, found: heard.append(looked)))
    assert len(heard) > 10 and max(heard) > 0
    assert [row.text for row in watched.best] == [row.text for row in search(Progress()).best]


@pytest.mark.parametrize("search", SEARCHES.values(), ids=SEARCHES)
def test_a_search_stops_at_its_next_step(search, monkeypatch):
    monkeypatch.setattr("deft_reach.core.search.progress.EVERY", 0.0)
    heard = []

    def hear(looked, of, found):
        heard.append(looked)
        if len(heard) == 3:
            progress.cancel()

    progress = Progress(hear)
    with pytest.raises(Cancelled):
        search(progress)
    assert len(heard) == 3 and progress.cancelled
