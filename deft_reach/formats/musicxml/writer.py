"""Patterns as MusicXML: hands in voice 1 with stems up, feet in voice 2, stickings as lyrics."""

# Long: one writer of one format.
from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Final
from xml.etree import ElementTree as Tree

from deft_reach.core.model.elements import GRACE_NOTES, Grid, Rest, Step, Tie
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import EITHER, FEET, HANDS
from deft_reach.core.model.pattern import Bar, Pattern, Stroke
from deft_reach.core.model.piece_kinds import CYMBALS, piece_kind
from deft_reach.core.notation.grids import with_grids
from deft_reach.core.notation.stroke_text import write_strike
from deft_reach.core.notation.swing import straight
from deft_reach.formats.general_midi import key_of
from deft_reach.formats.musicxml.beams import Chunk, beams_of, modification, tuplets_of
from deft_reach.formats.musicxml.common import PLAY, SUM_FIELD, TEXT_FIELD, checksum, writable
from deft_reach.formats.reading import DocumentError, number_text

_TYPES: Final = {
    Fraction(1): "whole",
    Fraction(1, 2): "half",
    Fraction(1, 4): "quarter",
    Fraction(1, 8): "eighth",
    Fraction(1, 16): "16th",
    Fraction(1, 32): "32nd",
    Fraction(1, 64): "64th",
    Fraction(1, 128): "128th",
}
#: Where the hi-hat's pedal, and what the kit has not, stand on the staff.
_FOOT_PLACE, _UNKNOWN_PLACE = ("D", 4), ("D", 6)
_RACK_PLACES: Final = (("E", 5), ("D", 5), ("B", 4), ("B", 4))
_FLOOR_PLACES: Final = (("A", 4), ("G", 4))


def dump_musicxml(pattern: Pattern, kit: Kit, tempo: float, title: str = "Pattern", repeat: bool = False) -> bytes:
    """The pattern as a score with one percussion part, between repeat signs if it is a loop."""
    score: bytes = Tree.tostring(_Writer(pattern, kit, tempo, title, repeat).score(), encoding="utf-8")
    return b'<?xml version="1.0" encoding="UTF-8"?>\n' + score


def _rows(pattern: Pattern) -> list[list[tuple[Fraction, Grid, int]]]:
    """For every moment, the stretches it consists of: where each begins, its grid, and how many steps."""
    found: list[list[tuple[Fraction, Grid, int]]] = []
    now = Fraction(0)
    for element, grid in with_grids(pattern.elements):
        if isinstance(element, (Step, Rest)):
            found.append([(now, grid, 1)])
            now += grid.step
        elif isinstance(element, Tie):
            start, last, steps = found[-1][-1]
            # What goes on over a bar line is written as two notes tied together.
            if last == grid and pattern.bar_at(start) == pattern.bar_at(now):
                found[-1][-1] = (start, grid, steps + 1)
            else:
                found[-1].append((now, grid, 1))
            now += grid.step
    return found


@lru_cache(maxsize=4096)
def _split(written: Fraction) -> tuple[tuple[str, int, Fraction], ...]:
    """A written value as note types with dots, the longest first."""
    found = []
    while written > 0:
        for value, name in _TYPES.items():
            if value * 3 / 2 <= written and value > Fraction(1, 128):
                found.append((name, 1, value * 3 / 2))
                written -= value * 3 / 2
                break
            if value <= written:
                found.append((name, 0, value))
                written -= value
                break
        else:
            raise DocumentError("a step is too short to be written as a note")
    return tuple(found)


class _Writer:
    def __init__(self, pattern: Pattern, kit: Kit, tempo: float, title: str, repeat: bool) -> None:
        # Notation shows what is written; how it swings is said above.
        self.swing = pattern.swing
        pattern = straight(pattern)
        self.pattern, self.kit, self.tempo, self.title, self.repeat = pattern, kit, tempo, title, repeat
        self.rows = _rows(pattern)
        self.bars: list[Bar] = list(pattern.bar_rows)
        if not self._steps_fit():
            # Bars that nobody closed, with a step across their border: one long bar says the same.
            self.bars = [Bar(1, Fraction(0), pattern.length, pattern.meter, Fraction(0))]
        lengths: set[tuple[Grid, int]] = set()
        parts: set[int] = set()
        for row in self.rows:
            for start, grid, steps in row:
                lengths.add((grid, steps))
                parts.add((start * 4).denominator)
        for grid, steps in lengths:
            count, of = modification(grid)
            parts.update(
                (written * of / count * 4).denominator for _, _, written in _split(Fraction(steps, grid.value))
            )
        need = math.lcm(*parts)
        self.divisions = need
        #: The moments of each bar, with which of a moment's stretches they are.
        self.in_bar: list[list[tuple[int, int]]] = [[] for _ in self.bars]
        at = 0
        for number, row in enumerate(self.rows):
            for k, (start, _, _) in enumerate(row):
                while at + 1 < len(self.bars) and self.bars[at + 1].start <= start:
                    at += 1
                self.in_bar[at].append((number, k))
        self.feet = any(s.limb in FEET for s in pattern.strokes)

    def _steps_fit(self) -> bool:
        bars = iter(self.pattern.bar_rows)
        bar = next(bars, None)
        for row in self.rows:
            for start, grid, steps in row:
                while bar is not None and bar.start + bar.length <= start:
                    bar = next(bars, None)
                if bar is None:
                    return True
                if start + grid.step * steps > bar.start + bar.length and bar is not self.pattern.bar_rows[-1]:
                    return False
        return True

    def score(self) -> Tree.Element:
        root = Tree.Element("score-partwise", version="4.0")
        _add(_add(root, "work"), "work-title", writable(self.title))
        self._identification(root)
        parts = _add(root, "part-list")
        part = _add(parts, "score-part", id="P1")
        _add(part, "part-name", "Drums", **{"print-object": "no"})
        voices = list(dict.fromkeys(stroke.voice for stroke in self.pattern.strokes))
        for voice in voices:
            instrument = _add(part, "score-instrument", id=_id(voice))
            _add(instrument, "instrument-name", writable(voice_name(self.kit, voice)))
        for voice in voices:
            limb = next(s.limb for s in self.pattern.strokes if s.voice == voice)
            midi = _add(part, "midi-instrument", id=_id(voice))
            _add(midi, "midi-channel", "10")
            _add(midi, "midi-unpitched", str(key_of(self.kit, voice, limb, "") + 1))
        music = _add(root, "part", id="P1")
        for k, bar in enumerate(self.bars):
            self._measure(music, bar, k)
        if not self.bars:
            _add(music, "measure", number="1")
        return root

    def _identification(self, root: Tree.Element) -> None:
        identification = _add(root, "identification")
        _add(_add(identification, "encoding"), "software", "Deft Reach")
        text = self.pattern.text
        # What XML cannot hold is left out: the notes say the same.
        if all(char in "\t\n" or (char >= " " and char.isprintable()) or char == "\u00a0" for char in text):
            fields = _add(identification, "miscellaneous")
            _add(fields, "miscellaneous-field", text, name=TEXT_FIELD)
            _add(fields, "miscellaneous-field", f"{checksum(self.pattern.strokes):08x}", name=SUM_FIELD)

    def _measure(self, music: Tree.Element, bar: Bar, k: int) -> None:
        measure = _add(music, "measure", number=str(bar.number))
        if bar.number == 0:
            measure.set("implicit", "yes")
        first = k == 0
        if self.repeat and first:
            _repeat_sign(measure, "left", "heavy-light", "forward")
        if first or bar.meter != self.bars[k - 1].meter:
            attributes = _add(measure, "attributes")
            if first:
                _add(attributes, "divisions", str(self.divisions))
            meter = bar.meter
            if len(self.bars) == 1 and bar.length > Fraction(*meter):
                meter = (bar.length.numerator, bar.length.denominator)
            time = _add(attributes, "time")
            _add(time, "beats", str(meter[0]))
            _add(time, "beat-type", str(meter[1]))
            if first:
                _add(_add(attributes, "clef"), "sign", "percussion")
        if first:
            self._tempo(measure)
        voices = [(1, (*HANDS, EITHER), "up"), (2, FEET, "down")]
        if not self.feet:
            voices = voices[:1]
        total = str(self._duration(bar.length))
        carried = False
        for number, limbs, stem in voices:
            if number == 2:
                _add(_add(measure, "backup"), "duration", total)
            chunks = self._voice(bar, k, limbs)
            if not any(chunk.strokes for chunk in chunks):
                note = _add(measure, "note")
                if carried:
                    note.set("print-object", "no")
                _add(note, "rest", measure="yes")
                _add(note, "duration", total)
                _add(note, "voice", str(number))
                continue
            self._notes(measure, chunks, number, stem, bar, carried)
            # Common practice: where the hands carry the time, rests of the feet are not written.
            carried = True
        if self.repeat and k == len(self.bars) - 1:
            _repeat_sign(measure, "right", "light-heavy", "backward")

    def _tempo(self, measure: Tree.Element) -> None:
        direction = _add(measure, "direction", placement="above")
        mark = _add(_add(direction, "direction-type"), "metronome")
        _add(mark, "beat-unit", "quarter")
        _add(mark, "per-minute", number_text(self.tempo))
        sound = _add(direction, "sound", tempo=number_text(self.tempo))
        if self.swing is not None:
            words = _add(measure, "direction", placement="above")
            name = "eighths" if self.swing.value == 8 else "sixteenths"
            _add(_add(words, "direction-type"), "words", f"{name} swing, {self.swing.percent:g} %")
            ratio = self.swing.second / (1 - self.swing.second)
            swing = _add(sound, "swing")
            _add(swing, "first", str(ratio.numerator))
            _add(swing, "second", str(ratio.denominator))
            _add(swing, "swing-type", "eighth" if self.swing.value == 8 else "16th")

    def _duration(self, length: Fraction) -> int:
        return int(length * 4 * self.divisions)

    def _voice(self, bar: Bar, number: int, limbs: Sequence[str]) -> list[Chunk]:
        """What one voice has in a bar, rests in one beat drawn together."""
        found: list[Chunk] = []
        for moment, k in self.in_bar[number]:
            row = self.rows[moment]
            start, grid, steps = row[k]
            every = (self.pattern.strokes[i] for i in self.pattern.moments[moment].strokes)
            strokes = tuple(s for s in every if s.limb in limbs)
            plain = modification(grid) == (1, 1)
            last = found[-1] if found else None
            if (
                not strokes
                and plain
                and last is not None
                and not last.strokes
                and last.grid == grid
                and (last.start - bar.start) // Fraction(1, 4) == (start - bar.start) // Fraction(1, 4)
            ):
                joined = last.steps + steps
                while found and not found[-1].strokes and found[-1].start >= last.start:
                    found.pop()
                found += self._chunks(last.start, grid, joined, (), False, False)
                continue
            found += self._chunks(start, grid, steps, strokes, k > 0, k < len(row) - 1)
        return self._whole_rests(found, bar)

    def _whole_rests(self, chunks: list[Chunk], bar: Bar) -> list[Chunk]:
        """A tuplet of nothing but rests is one plain rest."""
        found: list[Chunk] = []
        k = 0
        while k < len(chunks):
            grid = chunks[k].grid
            count, of = modification(grid)
            whole = Fraction(of, grid.value)
            end, filled = k, Fraction(0)
            if (count, of) != (1, 1) and (chunks[k].start - bar.start) % whole == 0:
                while end < len(chunks) and not chunks[end].strokes and chunks[end].grid == grid and filled < whole:
                    filled += chunks[end].length
                    end += 1
            if filled == whole and whole in _TYPES:
                found.append(Chunk(chunks[k].start, whole, _TYPES[whole], 0, Grid(16), 0, (), False, False))
                k = end
            else:
                found.append(chunks[k])
                k += 1
        return found

    def _chunks(
        self, start: Fraction, grid: Grid, steps: int, strokes: tuple[Stroke, ...], before: bool, after: bool
    ) -> list[Chunk]:
        count, of = modification(grid)
        pieces = list(_split(Fraction(steps, grid.value)))
        found = []
        for k, (kind, dots, written) in enumerate(pieces):
            length = written * of / count
            part = written * grid.value
            found.append(
                Chunk(
                    start, length, kind, dots, grid, int(part) if part.denominator == 1 else 0, strokes,
                    before or k > 0, after or k < len(pieces) - 1,
                )
            )  # fmt: skip
            start += length
        return found

    def _shift(self, measure: Tree.Element, chunk: Chunk, bar: Bar, place: str) -> None:
        """What is late or early on purpose, over the first note of a stretch that is so by as much."""
        moved = {stroke.limb: stroke.shift for stroke in chunk.strokes if stroke.shift}
        if not moved:
            return
        earlier = [e for e in self.pattern.events if bar.start <= e.start < chunk.start]
        if earlier and {stroke.shift for stroke in (*earlier[-1].strokes, *chunk.strokes)} == set(moved.values()):
            return
        shift = max(moved.values(), key=abs)
        # Of strokes that sound together it says which one is meant.
        whose = "" if len(moved) == len(chunk.strokes) else f"{' '.join(moved)} "
        words = _add(measure, "direction", placement=place)
        _add(_add(words, "direction-type"), "words", whose + f"{shift:+d} ms".replace("-", "\u2212"))

    # --- notes ------------------------------------------------------------------------------------------------

    def _notes(
        self, measure: Tree.Element, chunks: list[Chunk], voice: int, stem: str, bar: Bar, carried: bool
    ) -> None:
        """One voice of a bar; where the time is ``carried`` by the other one its rests are there, and not printed."""
        beams = beams_of(chunks, bar)
        tuplets = tuplets_of(chunks)
        for k, chunk in enumerate(chunks):
            if not chunk.strokes:
                note = _add(measure, "note")
                if carried and k not in tuplets:
                    note.set("print-object", "no")
                _add(note, "rest")
                self._time(note, chunk, voice)
                notations: Tree.Element | None = None
                if k in tuplets:
                    notations = _add(note, "notations")
                    self._tuplet(notations, tuplets[k], chunk.grid)
                continue
            if not chunk.tied_from:
                self._shift(measure, chunk, bar, "above" if voice == 1 else "below")
                for stroke in chunk.strokes:
                    self._graces(measure, stroke, voice, stem)
            for number, stroke in enumerate(chunk.strokes):
                note = _add(measure, "note")
                if not chunk.tied_from:
                    note.set("id", f"s{stroke.index}")
                if number:
                    _add(note, "chord")
                self._head(note, stroke)
                _add(note, "duration", str(self._duration(chunk.length)))
                for tied, kind in ((chunk.tied_from, "stop"), (chunk.tied_to, "start")):
                    if tied:
                        _add(note, "tie", type=kind)
                _add(note, "instrument", id=_id(stroke.voice))
                _add(note, "voice", str(voice))
                self._value(note, chunk)
                _add(note, "stem", stem)
                self._notehead(note, stroke)
                if number == 0:
                    for level, state in beams.get(k, ()):
                        _add(note, "beam", state, number=str(level))
                self._notations(note, chunk, stroke, tuplets.get(k, ()) if number == 0 else ())
                if not chunk.tied_from:
                    lyric = _add(note, "lyric", number=str(number + 1 if voice == 1 else 3))
                    _add(lyric, "syllabic", "single")
                    _add(lyric, "text", stroke.limb)
                    play = _add(note, "play")
                    strike = stroke.strike()
                    _add(play, "other-play", write_strike(strike), type=PLAY)

    def _time(self, note: Tree.Element, chunk: Chunk, voice: int) -> None:
        _add(note, "duration", str(self._duration(chunk.length)))
        _add(note, "voice", str(voice))
        self._value(note, chunk)

    @staticmethod
    def _value(note: Tree.Element, chunk: Chunk) -> None:
        _add(note, "type", chunk.kind)
        for _ in range(chunk.dots):
            _add(note, "dot")
        count, of = modification(chunk.grid)
        if (count, of) != (1, 1):
            time_modification = _add(note, "time-modification")
            _add(time_modification, "actual-notes", str(count))
            _add(time_modification, "normal-notes", str(of))

    def _head(self, note: Tree.Element, stroke: Stroke) -> None:
        step, octave = self.place(stroke.voice)
        unpitched = _add(note, "unpitched")
        _add(unpitched, "display-step", step)
        _add(unpitched, "display-octave", str(octave))

    def place(self, voice: str) -> tuple[str, int]:
        """Where a voice stands on the staff."""
        code, _, zone = voice.partition(":")
        if zone == "foot":
            return _FOOT_PLACE
        piece = self.kit.piece(code)
        if piece is None:
            return _UNKNOWN_PLACE
        for kind, places in (("tom", _RACK_PLACES), ("floor-tom", _FLOOR_PLACES)):
            if piece.kind == kind:
                row = sorted((p for p in self.kit if p.kind == kind), key=lambda p: (p.diameter, p.x))
                at = [p.code for p in row].index(code)
                return places[min(at if len(row) > 1 or kind == "floor-tom" else 1, len(places) - 1)]
        return piece_kind(piece.kind).staff

    def _notehead(self, note: Tree.Element, stroke: Stroke) -> None:
        code, _, zone = stroke.voice.partition(":")
        piece = self.kit.piece(code)
        shape = "normal"
        if (piece is not None and piece.kind in CYMBALS) or zone in ("rim", "shell", "foot") or "x" in stroke.marks:
            shape = "diamond" if zone == "bell" else "x"
        elif "^" in stroke.marks:
            shape = "slashed"
        if shape != "normal" or "." in stroke.marks:
            head = _add(note, "notehead", shape)
            if "." in stroke.marks:
                head.set("parentheses", "yes")

    def _notations(self, note: Tree.Element, chunk: Chunk, stroke: Stroke, tuplet: Sequence[str]) -> None:
        notations = Tree.Element("notations")
        for tied, kind in ((chunk.tied_from, "stop"), (chunk.tied_to, "start")):
            if tied:
                _add(notations, "tied", type=kind)
        self._tuplet(notations, tuplet, chunk.grid)
        if not chunk.tied_from:
            if "~" in stroke.marks:
                _add(_add(notations, "ornaments"), "tremolo", "3", type="single")
            if "o" in stroke.marks:
                _add(_add(notations, "technical"), "open-string")
            if ">" in stroke.marks:
                _add(_add(notations, "articulations"), "accent")
        if len(notations):
            note.append(notations)

    @staticmethod
    def _tuplet(notations: Tree.Element, states: Sequence[str], grid: Grid) -> None:
        for state in states:
            attributes = {"type": state, "number": "1"}
            if state == "start":
                attributes["bracket"] = "yes"
            _add(notations, "tuplet", **attributes)

    def _graces(self, measure: Tree.Element, stroke: Stroke, voice: int, stem: str) -> None:
        count = GRACE_NOTES[stroke.grace]
        for k in range(count):
            note = _add(measure, "note")
            _add(note, "grace", **({"slash": "yes"} if count == 1 else {}))
            grace = stroke._replace(voice=stroke.grace_voice or stroke.voice, marks=stroke.grace_marks)
            self._head(note, grace)
            _add(note, "instrument", id=_id(grace.voice))
            _add(note, "voice", str(voice))
            _add(note, "type", "eighth" if count == 1 else "16th")
            _add(note, "stem", stem)
            if count > 1:
                state = "begin" if k == 0 else "end" if k == count - 1 else "continue"
                for level in (1, 2):
                    _add(note, "beam", state, number=str(level))


def _repeat_sign(measure: Tree.Element, side: str, style: str, direction: str) -> None:
    line = _add(measure, "barline", location=side)
    _add(line, "bar-style", style)
    _add(line, "repeat", direction=direction)


def _id(voice: str) -> str:
    return "V-" + voice.replace(":", ".")


def _add(parent: Tree.Element, tag: str, text: str | None = None, **attributes: str) -> Tree.Element:
    element = Tree.SubElement(parent, tag, attributes)
    element.text = text
    return element
