"""A plan as sound: every stroke at its own sample, with count-in, click and loop; mixed block by block.

Each onset is rounded once, from its exact time: nothing adds up, however long it goes on.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from fractions import Fraction
from itertools import accumulate, pairwise
from typing import NamedTuple

import numpy as np

from deft_reach.core.model.elements import GRACE_NOTES
from deft_reach.core.model.kit import Kit, piece_of
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.motion.timing import GRACE_APART, GRACE_LEAD
from deft_reach.sound.click import BETWEEN_HZ, FIRST_HZ, OTHER_HZ, PLACES, RATE, Clicks, Samples, tone
from deft_reach.sound.voices import grace_sound, stroke_sound

#: Everything together is kept below full scale by this much.
HEADROOM = 0.6
EVERY_BEAT = Clicks()


class Onset(NamedTuple):
    """A sound and the seconds after the stretch's beginning at which it starts; ``stroke`` is None for a click, which
    has the number of its bar in the stretch.
    """

    time: float
    sound: Samples
    stroke: int | None
    bar: int = 0


class Playback:
    """A stretch of a pattern played at a tempo, once or over and over.

    ``start`` and ``end`` are whole notes. With ``tempi`` (BPM) it is played once at each of them, one after the
    other; with ``count_in`` a bar is clicked before, and what there is of the first bar before a pickup. ``block``
    gives any stretch of samples; sample 0 is where the count-in begins.
    """

    def __init__(
        self, pattern: Pattern, kit: Kit, tempo: float, *, start: Fraction = Fraction(0), end: Fraction | None = None,
        repeat: bool = False, click: bool = False, count_in: bool = False, clicks: Clicks = EVERY_BEAT,
        tempi: Sequence[float] = (),
    ) -> None:  # fmt: skip
        self.pattern, self.tempo, self.repeat, self.clicks = pattern, tempo, repeat, clicks
        self.start = start
        self.end = pattern.length if end is None else end
        if self.end <= self.start or not (math.isfinite(tempo) and tempo > 0):
            raise ValueError("there is nothing to play: the stretch is empty")
        self.whole = 240.0 / tempo
        self.length = float(self.end - self.start) * self.whole
        self.lead_in, self.count = self._counted_in() if count_in else (0.0, [])
        self.bars = 0
        self.hits = sorted([*self._strokes(kit), *(self._clicks() if click else ())], key=lambda hit: hit.time)
        #: When each round begins (seconds), and how long a whole note is in it.
        self.begins, self.wholes = [0.0], [self.whole]
        if tempi:
            self._ramp(tempi)
        self._times = [hit.time for hit in self.hits]
        self._longest = max([*(len(h.sound) for h in self.hits), *(len(h.sound) for h in self.count), 1])

    def _counted_in(self) -> tuple[float, list[Onset]]:
        """A bar counted in, at the tempo and in the meter of the beginning: its length (seconds) and clicks."""
        bar = self.pattern.bar_at(self.start)
        beats, beat = bar.meter[0], float(bar.stretch) / bar.meter[1] * self.whole
        length = beats + float(bar.beat(self.start)) - 1
        clicks = [
            Onset(k * beat, tone(OTHER_HZ if k % beats else FIRST_HZ), None) for k in range(math.ceil(length - 1e-9))
        ]
        return length * beat, clicks

    def _ramp(self, tempi: Sequence[float]) -> None:
        """Round after round at its own tempo, laid out as one."""
        part = float(self.end - self.start)
        self.wholes = [240.0 / tempo for tempo in tempi]
        self.begins = [0.0, *accumulate(part * whole for whole in self.wholes)]
        self.length, self.repeat = self.begins.pop(), False
        self.hits = [
            hit._replace(time=begin + hit.time * whole / self.whole, bar=hit.bar + number * self.bars)
            for number, (begin, whole) in enumerate(zip(self.begins, self.wholes))
            for hit in self.hits
        ]
        self.lead_in *= self.wholes[0] / self.whole
        self.count = [hit._replace(time=hit.time * self.wholes[0] / self.whole) for hit in self.count]

    def _strokes(self, kit: Kit) -> list[Onset]:
        found = []
        for s in self.pattern.strokes:
            if not self.start <= s.start < self.end:
                continue
            time = max(0.0, float(s.start - self.start) * self.whole + s.shift / 1000)
            for k in range(GRACE_NOTES[s.grace]):
                before = max(0.0, time - GRACE_LEAD - GRACE_APART * k)
                found.append(Onset(before, grace_sound(kit, s.grace_voice or s.voice), s.index))
            found.append(Onset(time, stroke_sound(kit, s.voice, s.limb, s.marks), s.index))
        return self._choked(found, kit)

    def _choked(self, hits: list[Onset], kit: Kit) -> list[Onset]:
        """An open hi-hat sounds until the next stroke on it, or its foot, closes it."""
        hat = kit.of_kind("hi-hat")
        if hat is None:
            return hits
        code = hat.code
        found = list(hits)
        on_hat = [
            k for k, h in enumerate(found)
            if h.stroke is not None and piece_of(self.pattern.strokes[h.stroke].voice) == code
        ]  # fmt: skip
        on_hat.sort(key=lambda k: found[k].time)
        for a, b in pairwise(on_hat):
            room = round((found[b].time - found[a].time) * RATE)
            if 0 < room < len(found[a].sound):
                cut = found[a].sound[:room].copy()
                fade = min(220, room)
                cut[-fade:] *= np.linspace(1.0, 0.0, fade, dtype=np.float32)
                found[a] = found[a]._replace(sound=cut)
        return found

    def _clicks(self) -> list[Onset]:
        found = []
        bars = [bar for bar in self.pattern.bar_rows if bar.start < self.end and bar.start + bar.length > self.start]
        #: How many bars a round has: what falls silent is counted on from round to round.
        self.bars = len(bars)
        for number, bar in enumerate(bars):
            for k in range(1 if self.clicks.places == "first beats" else bar.meter[0]):
                for into in PLACES[self.clicks.places]:
                    at = bar.time_of(k + into)
                    if max(self.start, bar.start) <= at < min(self.end, bar.start + bar.length):
                        time = float(at - self.start) * self.whole
                        pitch = BETWEEN_HZ if into else OTHER_HZ if k else FIRST_HZ
                        found.append(Onset(time, tone(pitch), None, number))
        return found

    def is_silent(self, hit: Onset, round_: int) -> bool:
        """Whether a click falls into a silent bar in this round."""
        return hit.stroke is None and not self.clicks.sounds_in(round_ * self.bars + hit.bar)

    @property
    def samples(self) -> int | None:
        """How many samples there are until the last sound has died away; None for a loop."""
        if self.repeat:
            return None
        last = max((round((self.lead_in + h.time) * RATE) + len(h.sound) for h in self.hits), default=0)
        return max(last, round((self.lead_in + self.length) * RATE))

    def onset(self, hit: Onset, round_: int = 0) -> int:
        """The sample at which a hit begins in a round."""
        return round((self.lead_in + round_ * self.length + hit.time) * RATE)

    def position(self, sample: int) -> Fraction | float | None:
        """Where in the pattern (whole notes) a sample is; None in the count-in and after the end."""
        time = sample / RATE - self.lead_in
        if time < 0 or (not self.repeat and time >= self.length):
            return None
        into = math.fmod(time, self.length)
        number = bisect_right(self.begins, into) - 1
        return float(self.start) + (into - self.begins[number]) / self.wholes[number]

    def block(self, start: int, count: int) -> Samples:
        """``count`` samples from sample ``start`` on."""
        out = np.zeros(count, dtype=np.float32)
        for hit in self.count:
            self._add(out, start, self.onset(Onset(hit.time - self.lead_in, hit.sound, None)), hit.sound)
        # Whatever began so long ago may still sound.
        first = (start - self._longest) / RATE - self.lead_in
        last = (start + count) / RATE - self.lead_in
        low = max(0, math.floor(first / self.length)) if self.repeat else 0
        high = max(low, math.floor(last / self.length)) if self.repeat else 0
        for round_ in range(low, high + 1):
            at = bisect_left(self._times, first - round_ * self.length - 1.0 / RATE)
            for hit in self.hits[at:]:
                onset = self.onset(hit, round_)
                if onset >= start + count:
                    break
                if self.is_silent(hit, round_):
                    continue
                self._add(out, start, onset, hit.sound)
        out *= HEADROOM
        return np.tanh(out).astype(np.float32)

    @staticmethod
    def _add(out: Samples, start: int, onset: int, sound: Samples) -> None:
        low, high = max(onset, start), min(onset + len(sound), start + len(out))
        if high > low:
            out[low - start : high - start] += sound[low - onset : high - onset]
