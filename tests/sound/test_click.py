"""The click to the sample, devices that are not there, and MIDI ports."""

import time
from pathlib import Path

import mido
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.sound import midi_ports, output
from deft_reach.sound.click import LENGTH, RATE, Click
from deft_reach.sound.output import Output, can_sound, open_output


def onsets(samples) -> list[int]:
    """Where sound begins after silence."""
    loud = np.abs(samples) > 1e-3
    return [int(k) for k in np.nonzero(loud & ~np.concatenate(([False], loud[:-1])))[0]]


def starts(click: Click, seconds: float) -> list[int]:
    """Onsets of whole clicks: a sine crosses zero, so sounds nearer than a click's length are one."""
    found: list[int] = []
    for at in onsets(click.block(0, round(seconds * RATE))):
        if not found or at - found[-1] > LENGTH * RATE:
            found.append(at)
    return found


@pytest.mark.parametrize("bpm", [60, 97, 120, 213])
def test_every_beat_begins_at_its_sample(bpm):
    click = Click(60 / bpm, 4)
    found = starts(click, 5)
    wanted = [click.start_of(k) for k in range(len(found))]
    # A sine begins at nothing: it is heard from its next sample on.
    assert len(found) == int(5 * bpm / 60) + 1 or len(found) == int(5 * bpm / 60)
    assert all(0 <= a - b <= 1 for a, b in zip(found, wanted))


@given(st.integers(0, 200_000), st.integers(1, 5000), st.floats(0.2, 1.5))
def test_a_stretch_is_the_same_however_it_is_asked_for(start, count, beat):
    click = Click(beat, 3)
    whole = click.block(start, count)
    half = count // 2
    parts = np.concatenate([click.block(start, half), click.block(start + half, count - half)])
    assert np.array_equal(whole, parts) and np.abs(whole).max(initial=0) <= 1


def test_the_first_of_the_bar_is_higher():
    click = Click(0.5, 2)
    first, other = click.block(0, 1000), click.block(click.start_of(1), 1000)
    crossings = [int(np.sum(np.diff(np.signbit(s)))) for s in (first, other)]
    assert crossings[0] > crossings[1]


@pytest.mark.parametrize("beat", [0, -1, float("nan"), float("inf"), 1e9])
def test_beats_that_cannot_be_are_refused(beat):
    with pytest.raises(ValueError, match="a beat of"):
        Click(beat, 4)


def test_a_device_takes_the_sound_and_can_be_closed_twice():
    device = Output(Click(0.5, 4), null=True)
    end = time.monotonic() + 5
    while device.played < RATE // 10 and time.monotonic() < end:
        time.sleep(0.01)
    assert device.played >= RATE // 10
    device.close()
    device.close()


def test_without_a_sound_system_there_is_no_output_and_no_error(monkeypatch, tmp_path):
    monkeypatch.setenv("DEFT_REACH_SILENT", "1")
    assert not can_sound() and open_output(Click(0.5, 4)) is None
    monkeypatch.setattr(output, "can_sound", lambda: True)
    monkeypatch.setattr(output, "Output", lambda *_: 1 / 0)
    assert open_output(Click(0.5, 4)) is None


def test_ports_are_listed_played_and_refused_in_words(monkeypatch):
    monkeypatch.setattr(Path, "exists", lambda _: True)
    monkeypatch.setattr(mido, "get_input_names", lambda: ["Pad 1"])
    assert midi_ports.input_names() == ["Pad 1"]
    kept = {}
    monkeypatch.setattr(mido, "open_input", lambda name, callback: kept.setdefault(name, callback))
    heard: list[tuple[int, int]] = []
    midi_ports.open_notes("Pad 1", lambda *note: heard.append(note))
    for note, velocity in ((38, 90), (36, 80), (38, 0), (44, 30)):
        kept["Pad 1"](mido.Message("note_on", note=note, velocity=velocity))
    assert heard == [(38, 90), (36, 80), (44, 30)], "what is let go is no stroke"

    def broken(*_, **__):
        raise RuntimeError("no sequencer")

    monkeypatch.setattr(mido, "open_input", broken)
    with pytest.raises(OSError, match=r"Pad 1.*cannot be opened: no sequencer"):
        midi_ports.open_notes("Pad 1", lambda *_: None)
    monkeypatch.setattr(mido, "get_input_names", broken)
    assert midi_ports.input_names() == []


def test_why_there_are_no_ports_is_said(monkeypatch):
    monkeypatch.setattr(midi_ports, "find_spec", lambda _: None)
    assert "python-rtmidi, which is not installed" in midi_ports.why_no_ports()
    monkeypatch.setattr(midi_ports, "find_spec", lambda _: object())
    monkeypatch.setattr(Path, "exists", lambda _: False)
    assert "no MIDI system" in midi_ports.why_no_ports()
    monkeypatch.setattr(Path, "exists", lambda _: True)
    assert "No MIDI device" in midi_ports.why_no_ports()
