"""Patterns from MusicXML: the percussion part of a score by its instruments, or by its places on the staff."""

from __future__ import annotations

import io
import zipfile
import zlib
from fractions import Fraction
from typing import Final
from xml.etree import ElementTree as Tree

from deft_reach.core.model.elements import Strike, Swing
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import EITHER, HANDS, HAT_FOOT, KICK
from deft_reach.core.notation.compose import Frame, Onset
from deft_reach.core.notation.stroke_text import TEMPO_RANGE, StrokeTextError, parse
from deft_reach.core.notation.swing import SWING_RANGE, straight
from deft_reach.formats.drum_notes import voices_of
from deft_reach.formats.general_midi import Sound
from deft_reach.formats.imported import Imported, as_written
from deft_reach.formats.midi import MAX_BEATS, MAX_NOTES
from deft_reach.formats.musicxml.common import PLAY, SUM_FIELD, TEXT_FIELD, checksum
from deft_reach.formats.musicxml.instruments import voice_by_words
from deft_reach.formats.musicxml.measures import PartWalk, Row, int_of, shortened
from deft_reach.formats.reading import DocumentError, exact, number_text, reader
from deft_reach.formats.writing_down import written_down
from deft_reach.formats.xml_tree import parse_xml

#: Larger files are refused unread.
MAX_BYTES: Final = 8_000_000
#: What a metronome mark counts, in quarter notes.
_UNITS: Final = {
    "whole": Fraction(4), "half": Fraction(2), "quarter": Fraction(1), "eighth": Fraction(1, 2),
    "16th": Fraction(1, 4),
}  # fmt: skip
#: A remark names so many of the measures that it is about.
NAMED: Final = 3
#: Heads of notes that say nothing but what is struck, or how.
_HEADS: Final = frozenset(
    ("normal", "x", "cross", "diamond", "circle-x", "slashed", "back slashed", "square", "triangle", "none")
)
#: What a place on the staff means where a file names no instrument: with an ordinary head, and with a cross.
_BY_PLACE: Final = {
    "C5": ("sn", "sn"), "F4": ("bd", "bd"), "E4": ("bd", "bd"), "D4": ("hh:foot", "hh:foot"), "G5": ("hh", "hh"),
    "F5": ("t1", "rd"), "E5": ("t1", "rd"), "D5": ("t2", "rd"), "B4": ("t2", "t2"), "A4": ("ft", "ft"),
    "G4": ("f2", "f2"), "A5": ("c1", "c1"), "B5": ("c2", "c2"), "C6": ("ch", "ch"),
}  # fmt: skip


@reader
def load_musicxml(data: bytes, kit: Kit, part: int | None = None) -> Imported:
    """The percussion part of a score as stroke text for a kit.

    ``part`` chooses among several parts, from 0; None takes the one with the most unpitched notes. Raises
    DocumentError for what is no MusicXML, is too large, or holds no percussion.
    """
    return _Score(_read(data), kit).read(part)


def _read(data: bytes) -> Tree.Element:
    """The score's root, out of its container if it is compressed, and never by way of an outside entity."""
    if data.startswith(b"PK"):
        data = _unpack(data)
    if len(data) > MAX_BYTES:
        raise DocumentError(f"the file has {len(data):,} bytes; at most {MAX_BYTES:,} are read")
    root = parse_xml(data)
    if root.tag != "score-partwise":
        what = "score-timewise is not read; export it part by part" if root.tag == "score-timewise" else root.tag
        raise DocumentError(f"expected a MusicXML score (score-partwise); found {what[:60]}")
    return root


def _unpack(data: bytes) -> bytes:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = [i for i in archive.infolist() if i.filename.endswith((".xml", ".musicxml"))]
            scores = [i for i in names if not i.filename.startswith("META-INF")]
            if not scores:
                raise DocumentError("the compressed file holds no score")
            if scores[0].compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                raise DocumentError("the score is compressed in a way that compressed scores are not")
            if scores[0].file_size > MAX_BYTES:
                raise DocumentError(f"the score has {scores[0].file_size:,} bytes; at most {MAX_BYTES:,} are read")
            with archive.open(scores[0]) as inside:
                return inside.read(MAX_BYTES + 1)
    except DocumentError:
        raise
    except Exception as error:  # the library raises whatever it stumbles over
        raise DocumentError(f"the compressed file is broken: {str(error)[:120]}") from None


def _swing_of(element: Tree.Element) -> Swing | None:
    first, second, kind = (element.findtext(tag) or "" for tag in ("first", "second", "swing-type"))
    if not (first.isdecimal() and second.isdecimal() and len(first) < 6 and len(second) < 6 and int(second)):
        return None
    percent = round(100 * int(first) / (int(first) + int(second)), 3)
    value = {"": 8, "eighth": 8, "16th": 16}.get(kind)
    low, high = SWING_RANGE
    return Swing(percent, value) if value is not None and low < percent <= high else None


def _per_minute(metronome: Tree.Element) -> str | None:
    """A metronome mark in quarter notes a minute, None where it says something else than a tempo."""
    unit, count = _UNITS.get((metronome.findtext("beat-unit") or "").strip()), metronome.findtext("per-minute")
    if unit is None or count is None:
        return None
    dots = len(metronome.findall("beat-unit-dot"))
    try:
        quarters = exact(count) * unit * (2 - Fraction(1, 2**dots))
    except ValueError:
        return count
    return number_text(float(quarters))


class _Score:
    def __init__(self, root: Tree.Element, kit: Kit) -> None:
        self.root, self.kit = root, kit
        self.keys: dict[str, int] = {}
        for midi in root.iter("midi-instrument"):
            key = int_of(midi.findtext("midi-unpitched"))
            if key is not None:
                self.keys[midi.get("id", "")] = key - 1
        self.voices, lacking = voices_of(kit, set(self.keys.values()))
        self.words: dict[str, tuple[str, str]] = {}
        for one in root.iter("score-instrument"):
            self.words[one.get("id", "")] = (
                one.findtext("instrument-sound", ""),
                one.findtext("instrument-name", ""),
            )
        #: What instruments were taken for, as they came up.
        self.meant: dict[str, Sound | None] = {}
        self.meters: list[tuple[Fraction, tuple[int, int]]] = []
        self.pickup = Fraction(0)
        self.repeat = False
        #: What was not understood or is odd, and in which measures.
        self.remarked: dict[str, list[str]] = {}
        if lacking:
            self.remark(f"the kit lacks some sounds: {', '.join(lacking)}")
        self.part = "the part"
        self.unknown = False

    def read(self, chosen: int | None) -> Imported:
        names = {part.get("id", ""): part.findtext("part-name", "") for part in self.root.iter("score-part")}
        parts: list[tuple[Tree.Element, str, int]] = []
        for part in self.root.findall("part"):
            count = sum(1 for note in part.iter("note") if note.find("unpitched") is not None)
            if count:
                name = "".join(c for c in names.get(part.get("id", ""), "") if c.isprintable()).strip()
                parts.append((part, name[:60] or f"part {len(parts) + 1}", count))
        if not parts:
            own = self._own_text({}, self._tempo())
            if own is not None:
                # A pattern of rests alone.
                return Imported(own, self._tempo(), repeat=bool(self.root.findall("part//repeat")))
            raise DocumentError("the score holds no percussion part (no unpitched notes)")
        if chosen is None:
            chosen = max(range(len(parts)), key=lambda k: parts[k][2])
        if not 0 <= chosen < len(parts):
            raise DocumentError(f"there is no percussion part {chosen + 1}; there are {len(parts)}")
        listed = tuple((name, count) for _, name, count in parts)
        if parts[chosen][2] > MAX_NOTES:
            raise DocumentError(f"{parts[chosen][2]:,} drum notes; at most {MAX_NOTES:,} are read")
        self.part = f"“{parts[chosen][1]}”"
        rows, end = self._walk(parts[chosen][0])
        if end * 4 > MAX_BEATS:
            raise DocumentError(f"the part has {float(end * 4):,.0f} beats; at most {MAX_BEATS:,} are read")
        tempo = self._tempo()
        own = self._own_text(rows, tempo)
        if own is not None:
            return Imported(own, tempo, listed, chosen, repeat=self.repeat)
        onsets = [Onset(start, tuple(row.strikes), row.length or None) for start, row in sorted(rows.items())]
        frame = Frame(tuple(self.meters) or ((Fraction(0), (4, 4)),), end, self.pickup, swing=self._swing())
        text, remarks = written_down(onsets, frame)
        for what in remarks:
            self.remark(what)
        if self.unknown:
            self.remark("hands are not in the file: they are written as ? and still to be chosen")
        return Imported(text, tempo, listed, chosen, self.all_remarks, repeat=self.repeat)

    def _swing(self) -> Swing | None:
        """The first swing that is said, if it is one that can be written."""
        found: Swing | None = None
        for k, element in enumerate(self.root.iter("swing")):
            swing = _swing_of(element)
            if swing is None and element.find("straight") is None:
                self.remark("a swing that cannot be written is left out: all is read straight")
            if k and swing != found:
                self.remark("the swing changes: all is read with the first one")
            found = swing if k == 0 else found
        return found

    def _own_text(self, rows: dict[Fraction, Row], tempo: float | None) -> str | None:
        """The stroke text the file was made from, while its strokes are still those."""
        fields = {f.get("name"): f.text or "" for f in self.root.iter("miscellaneous-field")}
        if TEXT_FIELD not in fields or SUM_FIELD not in fields:
            return None
        try:
            pattern = straight(parse(fields[TEXT_FIELD]))
        except StrokeTextError:
            return None
        read = sorted(
            (str(start), s.limb, s.voice or "", "".join(sorted(s.marks)), s.grace_text)
            for start, row in rows.items()
            for s in row.strikes
        )
        same = f"{zlib.crc32(repr(read).encode()):08x}" == fields[SUM_FIELD] == f"{checksum(pattern.strokes):08x}"
        return as_written(fields[TEXT_FIELD], tempo) if same else None

    def _tempo(self) -> float | None:
        """The first tempo that is said, by its sound or else by its mark."""
        low, high = TEMPO_RANGE
        found: list[float] = []
        for said in (*self.root.iter("sound"), *self.root.iter("metronome")):
            text = said.get("tempo") if said.tag == "sound" else _per_minute(said)
            if text is None or (said.tag == "metronome" and found):
                continue
            try:
                tempo = float(exact(text))
            except ValueError:
                tempo = 0.0
            if low <= tempo <= high:
                found.append(tempo)
            else:
                self.remark(f"a tempo of “{shortened(text)}” is left out; expected {low:g} to {high:g} BPM")
        if len(set(found)) > 1:
            self.remark(f"the tempo changes: all is read at {found[0]:g} BPM")
        return found[0] if found else None

    def _walk(self, part: Tree.Element) -> tuple[dict[Fraction, Row], Fraction]:
        """Every struck moment of a part in whole notes from its beginning, and the part's length."""
        walk = PartWalk(part, self.part, self.strike, self.remark)
        walk.walk()
        self.meters, self.pickup, self.repeat = walk.meters, walk.pickup, walk.is_loop()
        return walk.rows, walk.begin

    def remark(self, what: str, measure: str = "") -> None:
        """Say something once, and in which measures it is so."""
        self.remarked.setdefault(what, []).append(measure)

    @property
    def all_remarks(self) -> tuple[str, ...]:
        """All remarks, each with its measures."""
        found = []
        for what, measures in self.remarked.items():
            places = list(dict.fromkeys(filter(None, measures)))
            more = f" and {len(places) - NAMED} more" if len(places) > NAMED else ""
            where = f"measure {', '.join(places[:NAMED])}{more}: " if places else ""
            found.append(where + what)
        return tuple(found)

    def strike(self, note: Tree.Element, instrument: str, graces: int) -> tuple[Strike, bool]:
        """What a note strikes, and whether the file says so itself in our words."""
        for play in note.findall("play/other-play"):
            if play.get("type") == PLAY and play.text and len(play.text) < 40:
                try:
                    stroke = parse(play.text).strokes
                except StrokeTextError:
                    continue
                if len(stroke) == 1:
                    return stroke[0].strike(), True
        head = note.find("notehead")
        shape = (head.text or "normal").strip() if head is not None else "normal"
        if shape not in _HEADS:
            self.remark(f"heads “{shortened(shape)}” are read as ordinary ones")
        voice, marks, limb = self._voice(note, instrument, shape)
        if head is not None and head.get("parentheses") == "yes":
            marks += "."
        elif note.find("notations/articulations/accent") is not None or (
            note.find("notations/articulations/strong-accent") is not None
        ):
            marks += ">"
        if note.find("notations/technical/open-string") is not None and "o" not in marks:
            marks += "o"
        if note.find("notations/ornaments/tremolo") is not None:
            marks += "~"
        if limb == EITHER:
            said = [(lyric.findtext("text") or "").strip().upper() for lyric in note.findall("lyric")]
            limb = next((word for word in said if word in HANDS), EITHER)
            self.unknown = self.unknown or limb == EITHER
        grace = {0: "", 1: "f", 2: "d"}.get(graces, "u") if limb in (*HANDS, EITHER) else ""
        return Strike(limb, voice, marks, grace), False

    def _by_words(self, instrument: str) -> Sound | None:
        """What an instrument's sound, or else its name, is taken for; said in a remark."""
        for words in self.words.get(instrument, ()):
            meant = voice_by_words(self.kit, words) if words else None
            if meant is not None:
                self.remark(f"“{words[:60]}” is taken for the {voice_name(self.kit, meant.voice)}")
                return meant
        return None

    def _voice(self, note: Tree.Element, instrument: str, shape: str) -> tuple[str, str, str]:
        if instrument in self.keys:
            sound = self.voices[self.keys[instrument]]
            if not sound.voice.startswith("gm"):
                return sound.voice, sound.marks, sound.limb
        if instrument not in self.meant:
            self.meant[instrument] = self._by_words(instrument)
        meant = self.meant[instrument]
        if meant is not None:
            return meant.voice, meant.marks, meant.limb
        place = note.findtext("unpitched/display-step", "C") + note.findtext("unpitched/display-octave", "5")
        pair = _BY_PLACE.get(place)
        if pair is None:
            self.remark(f"nothing is known to stand at {place} on the staff: written on the snare")
            pair = ("sn", "sn")
        voice = pair[1] if shape in ("x", "cross", "diamond", "circle-x") else pair[0]
        if voice == "bd":
            return voice, "", KICK
        if voice == "hh:foot":
            return voice, "", HAT_FOOT
        return voice, "x" if voice == "sn" and shape == "x" else "", EITHER
