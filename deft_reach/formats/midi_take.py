"""Performances as Standard MIDI Files: what an electronic kit records, read with its times, and written."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Final

from deft_reach.core.practice.hits import Hit
from deft_reach.formats.midi_file import open_midi
from deft_reach.formats.reading import DocumentError, reader

MAX_HITS: Final = 60_000
MAX_TEXTS: Final = 1_000
#: Ticks of half a millisecond: 1000 a beat at 120 BPM.
_TICKS, _TEMPO = 1000, 500_000
DRUMS: Final = 9


@reader
def load_performance(data: bytes) -> tuple[Hit, ...]:
    """Every drum hit of a file, in seconds: channel 10, or where it is silent, all there is.

    Raises DocumentError for what is no MIDI file, is too large, or holds no hits.
    """
    file = open_midi(data)
    if file.type == 2:
        raise DocumentError("a MIDI file of unrelated tracks cannot be read as a take")
    if file.clip:
        raise DocumentError("the MIDI file is damaged: it holds notes or velocities above 127")
    drums: list[Hit] = []
    others: list[Hit] = []
    now = 0.0
    try:
        for message in file:
            now += message.time
            if message.type == "note_on" and message.velocity > 0:
                (drums if message.channel == DRUMS else others).append(Hit(now, message.note, message.velocity))
            if len(drums) + len(others) > MAX_HITS:
                raise DocumentError(f"the file has more than {MAX_HITS:,} notes; cut the take out of it")
    except (OSError, EOFError, ValueError, IndexError, KeyError, TypeError, OverflowError) as error:
        raise DocumentError(f"the MIDI file is damaged: {error}") from None
    found = drums or others
    if not found:
        raise DocumentError("the MIDI file holds no notes")
    return tuple(sorted(found))


@reader
def load_texts(data: bytes) -> tuple[tuple[float, str], ...]:
    """Texts and markers of a file that load_performance reads, with their times in seconds."""
    found, now = [], 0.0
    for message in open_midi(data):
        now += message.time
        if message.type in ("text", "marker", "cue_marker"):
            found.append((now, str(message.text)))
        if len(found) > MAX_TEXTS:
            break
    return tuple(found)


def dump_performance(hits: Sequence[Hit], texts: Sequence[tuple[float, str]] = ()) -> bytes:
    """Hits as a type 0 file on channel 10, to half a millisecond; ``texts`` with their times as markers."""
    import mido

    file = mido.MidiFile(type=0, ticks_per_beat=_TICKS)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=_TEMPO, time=0))
    events = []
    for hit in hits:
        tick = round(hit.time * 1e6 / _TEMPO * _TICKS)
        events += [(tick, 1, hit.key, hit.velocity), (tick + 40, 0, hit.key, 0)]
    marks = [(round(time * 1e6 / _TEMPO * _TICKS), text) for time, text in sorted(texts)]
    now = 0
    for tick, on, key, velocity in sorted(events):
        while marks and marks[0][0] <= tick:
            at, text = marks.pop(0)
            track.append(mido.MetaMessage("marker", text=text, time=at - now))
            now = at
        kind = "note_on" if on else "note_off"
        track.append(mido.Message(kind, channel=DRUMS, note=key, velocity=velocity, time=tick - now))
        now = tick
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()
