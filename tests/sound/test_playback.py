"""Playback: every stroke at its sample, however it is cut into blocks; the WAV file read back by another reader."""

import io
from fractions import Fraction

import miniaudio
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_reach.core import Player, layout, parse
from deft_reach.core.document import Document, Plan, Score, Section, Song
from deft_reach.core.song import chain_song
from deft_reach.formats.wav import WavError, write_wav
from deft_reach.sound.click import PLACES, RATE, Clicks
from deft_reach.sound.output import Output
from deft_reach.sound.playback import Playback
from deft_reach.sound.voices import stroke_sound

FIVE = layout("five")


def onsets(samples, quiet=0.004, apart=0.02):
    """Where sound begins out of silence: samples louder than anything in the time before them."""
    loud = np.abs(samples) > quiet
    found = []
    for k in np.flatnonzero(loud):
        if not found or not loud[max(0, k - round(apart * RATE)) : k].any():
            found.append(int(k))
    return found


def test_two_hundred_strokes_begin_at_their_samples_without_drift():
    """Cross-sticks are short enough to leave silence between them, so that each onset can be found by ear."""
    pattern = parse("/8 " + "Rx Lx " * 100)
    tempo = 77.7
    playback = Playback(pattern, FIVE, tempo)
    samples = playback.block(0, playback.samples)
    wanted = [round(k * 0.125 * 240.0 / tempo * RATE) for k in range(200)]
    found = onsets(samples)
    assert len(found) == 200
    # The sound's own first audible sample, from the sound alone.
    attack = onsets(np.tanh(stroke_sound(FIVE, "sn", "R", "x") * 0.6))[0]
    assert [a - attack - b for a, b in zip(found, wanted)] == [0] * 200, "zero samples of drift"


@given(st.lists(st.integers(1, 9000), min_size=1, max_size=12), st.booleans())
@settings(max_examples=20, deadline=None)
def test_blocks_of_any_length_are_the_whole(lengths, repeat):
    playback = Playback(parse("/16 R> fL. K+R@hho R@hh - L@ft~"), FIVE, 133, repeat=repeat, click=True, count_in=True)
    whole = playback.block(0, sum(lengths))
    at, parts = 0, []
    for length in lengths:
        parts.append(playback.block(at, length))
        at += length
    assert np.concatenate(parts) == pytest.approx(whole)


def test_a_loop_comes_round_to_the_sample():
    playback = Playback(parse("/8 Rx Lx"), FIVE, 100, repeat=True)
    length = round(playback.length * RATE)
    first, later = playback.block(0, 4000), playback.block(1000 * length, 4000)
    assert playback.length * RATE == length, "this one is a whole number of samples"
    assert later == pytest.approx(first)
    assert playback.samples is None


def test_positions_go_with_the_samples():
    playback = Playback(parse("/4 R L R L"), FIVE, 60, repeat=True, count_in=True)
    assert playback.position(3 * RATE) is None, "still counting in"
    assert playback.position(4 * RATE) == 0
    assert playback.position(5 * RATE) == pytest.approx(0.25)
    assert playback.position(8 * RATE + 10) == pytest.approx(10 / RATE / 4), "round again"
    part = Playback(parse("/4 R L R L"), FIVE, 60, start=Fraction(1, 4), end=Fraction(3, 4))
    assert part.position(0) == 0.25 and part.position(2 * RATE) is None
    assert [h.stroke for h in part.hits] == [1, 2]
    with pytest.raises(ValueError, match="empty"):
        Playback(parse("R L"), FIVE, 60, start=Fraction(1), end=Fraction(1))


def test_slower_is_the_same_later():
    fast, slow = (Playback(parse("/16 R L R L"), FIVE, tempo) for tempo in (120, 12))
    assert [h.time * 10 for h in fast.hits] == pytest.approx([h.time for h in slow.hits])


def test_louder_marks_sound_louder():
    levels = [np.abs(stroke_sound(FIVE, "sn", "R", m)).max() for m in (".", "", ">")]
    assert levels[0] < levels[1] < levels[2] <= 1


@pytest.mark.parametrize("voice", [v for v in layout("large").voices if v != "bd"] + ["bd", "hh:foot", "nowhere"])
@pytest.mark.parametrize("marks", ["", ">", ".", "x", "~", "o", "^"])
def test_every_voice_sounds_and_dies_away(voice, marks):
    sound = stroke_sound(layout("large"), voice, "R", marks)
    assert np.isfinite(sound).all() and 0.05 < np.abs(sound).max() <= 1
    assert np.abs(sound[-8:]).max() < 0.02, "no step at the end"
    assert len(sound) < 4 * RATE


def pitch(sound):
    """Where most of the sound is (Hz), by its spectrum."""
    power = np.abs(np.fft.rfft(sound)) ** 2
    return float((np.fft.rfftfreq(len(sound), 1 / RATE) * power).sum() / power.sum())


def test_voices_differ_as_players_expect():
    """Common practice: the bass is lowest, larger toms are lower, cymbals are high."""
    bass, floor, mid, small, hat = (pitch(stroke_sound(FIVE, v, "R", "")) for v in ("bd", "ft", "t2", "t1", "hh"))
    assert bass < floor < mid < small < hat
    assert len(stroke_sound(FIVE, "hh", "R", "o")) > 3 * len(stroke_sound(FIVE, "hh", "R", "")), "open rings on"
    assert pitch(stroke_sound(FIVE, "sn", "R", ".")) < pitch(stroke_sound(FIVE, "sn", "R", ">")), "loud is brighter"


def test_a_closed_hat_stops_an_open_one():
    opened = Playback(parse("/8 R@hho - - -"), FIVE, 60)
    closed = Playback(parse("/8 R@hho H - -"), FIVE, 60)
    assert len(opened.hits[0].sound) > len(closed.hits[0].sound)
    assert len(closed.hits[0].sound) == round(0.5 * RATE)


def test_graces_fall_before_their_stroke():
    playback = Playback(parse("/4 R fL dR uL"), FIVE, 60)
    assert [h.stroke for h in playback.hits] == [0, 1, 1, 2, 2, 2, 3, 3, 3, 3]
    assert playback.hits[1].time == pytest.approx(1 - 0.03)


def test_a_wav_file_is_read_back_by_another_reader():
    playback = Playback(parse("/8 Rx Lx Rx Lx"), FIVE, 90)
    data = write_wav(playback)
    decoded = miniaudio.decode(data, output_format=miniaudio.SampleFormat.FLOAT32, nchannels=1, sample_rate=RATE)
    samples = np.array(decoded.samples)
    assert decoded.sample_rate == RATE and len(samples) == playback.samples
    assert samples == pytest.approx(playback.block(0, playback.samples), abs=1e-4)
    assert len(onsets(samples)) == 4
    assert io.BytesIO(data).read(4) == b"RIFF"


def test_an_endless_file_is_refused():
    with pytest.raises(WavError, match="minutes long"):
        write_wav(Playback(parse("/4 R L"), FIVE, 60, repeat=True), rounds=10**6)


def test_the_null_device_takes_what_is_played():
    playback = Playback(parse("/8 R L"), FIVE, 120, repeat=True)
    output = Output(playback, null=True)
    try:
        import time

        until = time.monotonic() + 5
        while output.played < 2000 and time.monotonic() < until:
            time.sleep(0.01)
        assert output.played >= 2000
    finally:
        output.close()


def clicks_of(playback, rounds):
    """Onsets of clicks in beats."""
    samples = playback.block(0, round(rounds * playback.length * RATE))
    return [round(at / RATE * playback.tempo / 60, 2) for at in onsets(samples, quiet=0.02)]


@pytest.mark.parametrize(
    ("places", "beats"),
    [
        ("beats", [0, 1, 2, 3]),
        ("off-beats", [0.5, 1.5, 2.5, 3.5]),
        ("eighths", [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5]),
        ("triplets", [0, 0.33, 0.67, 1, 1.33, 1.67, 2, 2.33, 2.67, 3, 3.33, 3.67]),
        ("first beats", [0]),
    ],
)
def test_clicks_fall_where_they_are_asked_for(places, beats):
    playback = Playback(parse("/4 - - - - |"), FIVE, 60, click=True, clicks=Clicks(places))
    assert clicks_of(playback, 1) == pytest.approx(beats, abs=0.011)
    assert len(PLACES["sixteenths"]) == 4


def test_clicks_fall_silent_for_bars_and_come_back_to_the_sample():
    """Counted on through the rounds: the silence is not where the loop's seam is."""
    pattern = parse("/4 - - - - | - - - - | - - - - |")
    playback = Playback(pattern, FIVE, 240, repeat=True, click=True, clicks=Clicks("first beats", 2, 2))
    found = clicks_of(playback, 4)
    assert found == pytest.approx([0, 4, 16, 20, 32, 36], abs=0.011)
    plain = Playback(pattern, FIVE, 240, repeat=True, click=True, clicks=Clicks("first beats"))
    assert clicks_of(plain, 2) == pytest.approx([0, 4, 8, 12, 16, 20], abs=0.011)


@pytest.mark.parametrize("wrong", [{"places": "sevenths"}, {"sounding": 0}, {"silent": -1}])
def test_clicks_that_cannot_be_are_refused(wrong):
    with pytest.raises(ValueError):
        Clicks(**wrong)


def test_a_ramp_is_played_round_after_round_at_its_tempi():
    pattern = parse("/4 Rx Lx Rx Lx |")
    tempi = [60.0, 90.0, 120.0]
    playback = Playback(pattern, FIVE, 60, tempi=tempi, click=True, clicks=Clicks("first beats", 1, 1))
    begins = [0.0, 4.0, 4.0 + 8 / 3]
    strokes = [hit.time for hit in playback.hits if hit.stroke is not None]
    assert strokes == pytest.approx([b + k * 60 / t for b, t in zip(begins, tempi) for k in range(4)])
    assert playback.length == pytest.approx(begins[-1] + 2.0) and not playback.repeat
    attack = onsets(np.tanh(stroke_sound(FIVE, "sn", "R", "x") * 0.6))[0]
    quiet = Playback(pattern, FIVE, 60, tempi=tempi)
    heard = [at - attack for at in onsets(quiet.block(0, quiet.samples))]
    assert heard == [round(time * RATE) for time in strokes]
    for time, place in ((0.0, 0.0), (2.0, 0.5), (4.0, 0.0), (4.0 + 4 / 3, 0.5), (begins[2] + 0.5, 0.25)):
        assert playback.position(round((time + 1e-4) * RATE)) == pytest.approx(place, abs=1e-3)
    # The silent bar is the second round's.
    clicks = [hit for hit in playback.hits if hit.stroke is None]
    assert [playback.is_silent(hit, 0) for hit in clicks] == [False, True, False]


def song(*sections, repeat=False):
    """Stroke texts with their tempi as a chained song."""
    kit, player = FIVE, Player()
    scores = tuple(Score(f"s{k}", f"s{k}", text) for k, (text, _) in enumerate(sections))
    plans = tuple(Plan(f"p{k}", f"p{k}", f"s{k}", kit.id, player.id, tempo) for k, (_, tempo) in enumerate(sections))
    rows = Song("song", "song", tuple(Section(plan.id) for plan in plans), repeat)
    return chain_song(Document(players=(player,), kits=(kit,), patterns=scores, plans=plans, songs=(rows,)), rows)


def test_clicks_and_strokes_of_a_song_follow_the_tempo_of_each_section():
    chain = song(("/4 R L R L |", 120), ("meter 3/4 /4 R L R |", 60), ("/4 R L R L |", 240))
    playback = Playback(chain.pattern, FIVE, chain.tempo, click=True, count_in=True)
    # By hand: quarters of 0.5 s from 0, of 1 s from 2 s, of 0.25 s from 5 s.
    wanted = [0, 0.5, 1, 1.5, 2, 3, 4, 5, 5.25, 5.5, 5.75]
    assert [h.time for h in playback.hits if h.stroke is None] == pytest.approx(wanted)
    assert [h.time for h in playback.hits if h.stroke is not None] == pytest.approx(wanted)
    assert playback.lead_in == pytest.approx(2.0) and len(playback.count) == 4


def test_a_song_is_counted_in_at_the_tempo_and_meter_of_where_it_begins():
    chain = song(("/4 R L R L |", 120), ("meter 3/4 /4 R L R |", 60))
    playback = Playback(chain.pattern, FIVE, chain.tempo, start=chain.entry_of(1), count_in=True)
    assert [hit.time for hit in playback.count] == pytest.approx([0, 1, 2]) and playback.lead_in == pytest.approx(3)
    assert [h.time for h in playback.hits] == pytest.approx([0, 1, 2])


def test_a_section_is_entered_at_its_pickup_which_is_counted_through():
    # A quarter of pickup into the second section, in the first one's tempo, over its last beat.
    chain = song(("/4 R L R H |", 120), ("/8 R@t1 L@t1 | /4 R L R L |", 60))
    assert chain.entry_of(1) == Fraction(3, 4) and chain.entry_of(0) == 0 and chain.entry_of(2) is None
    playback = Playback(chain.pattern, FIVE, chain.tempo, start=chain.entry_of(1), count_in=True)
    assert [hit.time for hit in playback.count] == pytest.approx([0.5 * k for k in range(7)])
    assert playback.lead_in == pytest.approx(3.5), "1 2 3 4, 1 2 3, and in on 4"
    heard = [(chain.pattern.strokes[h.stroke].voice, h.time) for h in playback.hits]
    assert heard[:4] == [("hh:foot", 0), ("t1", 0), ("t1", pytest.approx(0.25)), ("sn", pytest.approx(0.5))]


def test_a_plan_with_a_pickup_is_counted_up_to_it():
    playback = Playback(parse("/8 R L | /4 R L R L |"), FIVE, 60, count_in=True)
    assert [hit.time for hit in playback.count] == pytest.approx(range(7)) and playback.lead_in == pytest.approx(7)
