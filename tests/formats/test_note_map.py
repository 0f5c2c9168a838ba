"""Note maps: what an electronic kit's notes stand for, and learning them pad by pad."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import layout
from deft_reach.core.practice.hits import Hit
from deft_reach.formats.general_midi import NAMES, kit_keys
from deft_reach.formats.note_map import (
    GENERAL_MIDI,
    Learner,
    NoteMap,
    dump_note_map,
    fitting_map,
    load_note_map,
    pads_of,
    shipped_maps,
)
from deft_reach.formats.reading import DocumentError

FIVE = layout("five")
KEYS = st.integers(0, 127)


@given(st.dictionaries(KEYS, KEYS, max_size=20), st.lists(KEYS, max_size=30))
def test_a_file_keeps_it_and_no_note_counts_as_two_things(keys, notes):
    written = NoteMap("mine", keys)
    assert load_note_map(dump_note_map(written)) == written
    hits = [Hit(float(k), note, 90) for k, note in enumerate(notes)]
    heard = written.heard(hits)
    assert len(heard) + sum(note in written.strangers(hits) for note in notes) == len(notes)
    assert [hit.key for hit in heard] == [key for note in notes if (key := written.key(note)) is not None]


@given(st.permutations(range(30, 60)), st.lists(st.integers(30, 59), min_size=1))
def test_what_a_kit_sends_is_heard_as_it_was_played(order, played):
    own = NoteMap("own", dict(zip(range(60, 90), order)))
    hits = tuple(Hit(float(k), key, 80) for k, key in enumerate(played))
    assert own.heard(own.sent(hits)) == hits and GENERAL_MIDI.heard(hits) == GENERAL_MIDI.sent(hits) == hits


def test_shipped_maps_stand_for_keys_that_there_are():
    maps = shipped_maps()
    assert len(maps) >= 2 and maps["general-midi"] == GENERAL_MIDI
    for found in maps.values():
        assert found.name and found.about and set(found.keys.values()) <= set(NAMES)
        # The usual notes of drums and cymbals mean what they always mean.
        assert all(found.key(note) == note for note in (36, 37, 38, 42, 44, 46, 49, 51, 53, 57))
        assert found.strangers([Hit(0.0, note, 1) for note in range(128)]) == ()
    # Common practice: rims and edges count as what they are on.
    rims = maps["heads-and-rims"]
    assert (rims.key(50), rims.key(47), rims.key(55), rims.key(26)) == (48, 45, 49, 46)


@pytest.mark.parametrize(
    ("text", "where"),
    [
        ("{", "line 1"), ("[]", "line 1, column 1"), ('{"format": "other"}', '"format"'),
        ('{"format": "note map", "version": 2, "notes": {}}', "version"),
        ('{"format": "note map", "version": 1}', "notes"),
        ('{"format": "note map", "version": 1, "notes": {"128": 38}}', "notes.128"),
        ('{"format": "note map", "version": 1, "notes": {"x": 38}}', "notes.x"),
        ('{"format": "note map", "version": 1, "notes": {"38": "snare drum of doom"}}', "notes.38"),
        ('{"format": "note map", "version": 1, "notes": {"38": true}}', "notes.38"),
        ('{"format": "note map", "version": 1, "notes": {}, "name": 3}', "name"),
    ],
)  # fmt: skip
def test_what_is_no_note_map_is_refused_with_its_place(text, where):
    with pytest.raises(DocumentError, match=where):
        load_note_map(text.encode())


def test_keys_may_be_written_by_number_or_by_name():
    rows = {"format": "note map", "version": 1, "name": "x", "notes": {"60": 38, "61": "snare 1"}}
    assert dict(load_note_map(json.dumps(rows).encode()).keys) == {60: 38, 61: 38}


@pytest.mark.parametrize("kit", ["five", "five-double", "pit", "large"])
def test_every_key_that_a_kit_is_asked_for_is_among_its_pads(kit):
    pads = pads_of(layout(kit))
    assert {pad.key for pad in pads} <= kit_keys(layout(kit)) | {75, 56}
    assert len({pad.words for pad in pads}) == len(pads)


def struck(learner, notes, gap=0.5):
    for k, note in enumerate(notes):
        learner.hear(Hit(k * gap, note, 90))


def test_each_pad_is_struck_once():
    learner = Learner(FIVE)
    struck(learner, range(60, 60 + len(learner.pads)))
    assert learner.asked is None and learner.notes == list(range(60, 60 + len(learner.pads)))
    learner.hear(Hit(99.0, 1, 90))
    found = learner.map("mine")
    assert found.key(60) == 36 and found.key(62) == 38 and found.key(38) is None, "38 is no pad of this kit"
    assert 1 not in found.keys


def test_crosstalk_is_told_by_loudness_whichever_comes_first():
    learner = Learner(FIVE)
    for time, note, velocity in ((1.0, 60, 90), (1.01, 70, 20), (2.0, 71, 20), (2.02, 61, 90), (2.05, 72, 30)):
        learner.hear(Hit(time, note, velocity))
    assert learner.notes[:3] == [60, 61, None] and learner.at == 2


def test_a_pad_is_passed_over_or_asked_for_again():
    learner = Learner(FIVE)
    learner.back()
    assert learner.at == 0
    struck(learner, [60, 61])
    learner.back()
    assert learner.asked == learner.pads[1] and learner.notes[1] is None
    learner.hear(Hit(0.52, 65, 90))
    assert learner.notes[1] == 65, "soon after the stroke that was taken back, and yet no crosstalk"
    learner.skip()
    assert learner.notes[:3] == [60, 65, None] and learner.at == 3
    learner.hear(Hit(3.0, 60, 90))
    assert learner.same_as(3) == learner.pads[0] and learner.map("x").keys[60] == learner.pads[0].key


def test_the_map_that_fits_a_kit_with_rims_and_edges_is_named():
    keys = [42, 38, 48, 36]
    plain = [Hit(0.5 * k, keys[k % 4], 90) for k in range(16)]
    assert fitting_map(plain, keys) is None
    rims = [hit._replace(key=50) if hit.key == 48 else hit for hit in plain]
    said = fitting_map(rims, keys)
    assert said is not None and "note 50," in said and "(heads-and-rims)" in said
    # What no map explains is a hit too many, and no reason for one.
    assert fitting_map([hit._replace(key=60) if hit.key == 48 else hit for hit in plain], keys) is None
