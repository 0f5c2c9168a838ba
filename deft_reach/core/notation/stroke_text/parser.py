"""Stroke text to patterns."""

# Long: one pass over the text, and taking it up again from an earlier one.
from __future__ import annotations

import math
from bisect import bisect_right
from collections.abc import Collection
from contextlib import suppress
from fractions import Fraction
from typing import Any, NamedTuple

from deft_reach.core.model.elements import (
    SHIFTS,
    BarLine,
    Comment,
    Grid,
    GroupClose,
    GroupOpen,
    LineBreak,
    Meter,
    Rest,
    Span,
    Step,
    Strike,
    Swing,
    Tempo,
    Tie,
)
from deft_reach.core.model.layouts import STANDARD_VOICES
from deft_reach.core.model.pattern import (
    BarFault,
    Element,
    Group,
    Pattern,
)
from deft_reach.core.notation.stroke_text.grammar import (
    BLANK,
    EXPECTED_IN_GROUP,
    EXPECTED_ITEM,
    GRID,
    GRID_VALUES,
    MAX_NAME,
    MAX_TEXT,
    MAX_TUPLET,
    METER,
    METER_VALUES,
    NUMBER,
    SWING,
    TEMPO_RANGE,
    WORD,
    StrokeTextError,
)
from deft_reach.core.notation.stroke_text.placing import place
from deft_reach.core.notation.stroke_text.scanner import Scanner
from deft_reach.core.notation.swing import SWING_RANGE, SWING_VALUES, played


def parse(text: str, voices: Collection[str] = STANDARD_VOICES, *, lenient: bool = False) -> Pattern:
    """Read stroke text.

    ``lenient`` lets bars pass that do not add up, and lists them as the pattern's ``faults``: for text that is still
    being written.

    ``voices`` are the voices that are known, usually a kit's: they settle whether ``R@snx`` ends in a mark. A voice
    that is not among them is read all the same; whether the kit has it is for the analysis to say.

    >>> [s.limb for s in parse("R L R R | ").strokes]
    ['R', 'L', 'R', 'R']

    Raises StrokeTextError with the place of the first mistake.
    """
    reader = Parser(text, voices)
    try:
        pattern = reader.read()
    except StrokeTextError:
        # The first mistake is the one to say, and a bar that does not add up may come before it.
        if reader.faults and not lenient:
            raise fault_error(text, reader.faults[0], reader.finest) from None
        raise
    if pattern.faults and not lenient:
        raise fault_error(text, pattern.faults[0], pattern.finest)
    return pattern


def tempo_of(text: str) -> float | None:
    """The tempo that a text asks for, None if it asks for none. Only what stands before the first step is read.

    >>> tempo_of("tempo 96 /8 R L R L"), tempo_of("R L")
    (96.0, None)
    """
    reader = Parser(text, ())
    with suppress(StrokeTextError):
        while not reader.started and (char := reader.next_item()):
            reader.item(char)
    return reader.tempo


def with_grid_written(text: str, grid: Grid) -> str:
    """A text that swings and sets no grid before its first step, with this one written behind the setting.

    Any other text stays as it is.

    >>> with_grid_written("swing 66 /8 R L", Grid(16))
    'swing 66 /8 /16 R L'
    """
    reader = Parser(text, ())
    with suppress(StrokeTextError):
        while not reader.started and (char := reader.next_item()):
            reader.item(char)
    if reader.swing is None or any(isinstance(element, Grid) for element in reader.elements):
        return text
    at = reader.swing.span.end
    return f"{text[:at]} {grid.text}{text[at:]}"


def fault_error(text: str, fault: BarFault, finest: int) -> StrokeTextError:
    """The error that a bar that does not add up is."""
    full = fault.wanted
    beats, value = fault.meter
    grain = finest if full.denominator <= finest else value
    held = describe_length(fault.held, math.lcm(grain, full.denominator))
    wanted = describe_length(full, math.lcm(grain, full.denominator, fault.held.denominator))
    size = "short" if fault.missing > 0 else "long"
    return StrokeTextError(
        text, fault.span, f"bar {fault.number} too {size} at {held}", f"{wanted} for a bar of {beats}/{value}"
    )


def describe_length(length: Fraction, grain: int) -> str:
    """A length of time as a player would say it, in units of ``1/grain`` where that comes out whole."""
    denominator = math.lcm(grain, length.denominator)
    return f"{length.numerator * (denominator // length.denominator)}/{denominator}"


class Checkpoint(NamedTuple):
    """How far a reading was right after a bar line."""

    at: int
    now: Fraction
    grid: Grid
    finest: int
    meter: tuple[int, int] | None
    pickup: Fraction
    tempo: float | None
    swing: Swing | None
    elements: int
    rows: int
    groups: int
    bar_ends: int
    closed: int
    meters: int
    faults: int
    strikes: int
    last_length: Any
    bar_start: Fraction


def common_start(a: str, b: str) -> int:
    """How many characters two texts have in common at their beginning."""
    low, high = 0, min(len(a), len(b))
    while low < high:
        middle = (low + high + 1) // 2
        if a[low:middle] == b[low:middle]:
            low = middle
        else:
            high = middle - 1
    return low


class Parser(Scanner):
    """One pass over the text that collects elements and places strokes in time."""

    def __init__(self, text: str, voices: Collection[str]) -> None:
        super().__init__(text, voices)
        self.faults: list[BarFault] = []
        #: Where reading can be taken up again: after each bar line outside a group.
        self.checkpoints: list[Checkpoint] = []
        self.strike_count = 0
        self.pattern: Pattern | None = None
        #: What is taken over from an earlier reading: everything up to one checkpoint and from another one on.
        self.head: tuple[Parser, Checkpoint] | None = None
        self.tail: tuple[Parser, Checkpoint] | None = None
        self.ahead: dict[int, Checkpoint] = {}
        self.before: Parser | None = None
        self.elements: list[Element] = []
        self.meter: tuple[int, int] | None = None
        self.tempo: float | None = None
        self.swing: Swing | None = None
        self.grid = Grid(16)
        self.step = self.grid.step
        self.finest = 16
        self.now = Fraction(0)
        self.started = False
        # Bars that have been closed by a bar line: how long each is.
        self.bar_ends: list[Fraction] = []
        self.bar_start = Fraction(0)
        #: Where each closed bar starts and ends.
        self.closed: list[tuple[Fraction, Fraction]] = []
        self.pickup = Fraction(0)
        # [start, length, strikes, group, span]
        self.rows: list[list[object]] = []
        self.last_row: list[object] | None = None
        self.groups: list[Group] = []
        self.group: tuple[Fraction, Span, int] | None = None
        self.group_name = ""
        # Where each meter begins.
        self.meters: list[tuple[Fraction, tuple[int, int]]] = []

    def read(self) -> Pattern:
        """The pattern of the whole text.

        Raises StrokeTextError where it cannot be read.
        """
        text = self.text
        if len(text) > MAX_TEXT:
            raise self.error(f"{len(text):,} characters", f"at most {MAX_TEXT:,}", MAX_TEXT)
        while char := self.next_item():
            self.item(char)
            if self.ahead and self.at in self.ahead and self.take_tail(self.ahead[self.at]):
                break
        if self.group is not None:
            opened = self.group[1]
            raise self.error("a group that is never closed", "its closing ) before the end", opened.start, opened.end)
        self.pattern = place(self)
        # Nothing keeps a chain of all earlier texts alive.
        self.head = self.tail = self.before = None
        self.ahead = {}
        # What is read on from is the pattern as written.
        return self.pattern if self.swing is None else played(self.pattern, self.swing)

    def next_item(self) -> str:
        """Go past blanks; the character that stands there, empty at the end."""
        self.at = self.skip_blank(self.at)
        return self.text[self.at : self.at + 1]

    def item(self, char: str) -> None:
        """Read whatever begins with ``char`` at the present place, and go past it.

        Raises StrokeTextError for what nothing begins with.
        """
        at = self.at
        if char == "\n":
            self.add(LineBreak(Span(at, at + 1)))
        elif char == "#":
            end = self.text.find("\n", at)
            end = len(self.text) if end < 0 else end
            self.add(Comment(self.text[at:end].rstrip(), Span(at, end)))
        elif char == "|":
            self.bar_line()
        elif char == "/":
            self.read_grid()
        elif char == "(":
            if self.group is not None:
                raise self.error("'(' inside a group", EXPECTED_IN_GROUP, at)
            self.started = True
            self.open_group()
        elif char == ")":
            self.close_group()
        elif char == "-":
            self.take_step([], Rest(Span(at, at + 1)))
        elif char == "=":
            self.tie()
        elif char in "mts" and (word := WORD.match(self.text, at)) and len(word.group()) > 1:
            self.setting(word.group())
        else:
            self.strikes()

    def add(self, element: Element) -> None:
        """Take an element down and go past it."""
        self.elements.append(element)
        self.at = element.span.end

    def setting(self, word: str) -> None:
        """Read ``meter``, ``tempo`` or ``swing`` with its value.

        Raises StrokeTextError for other words, a setting in the wrong place or twice, and values out of range.
        """
        at = self.at
        if word not in ("meter", "tempo", "swing"):
            raise self.error(
                f"'{word}'", EXPECTED_ITEM + ", or at the start meter, tempo or swing", at, at + len(word)
            )
        later = self.started
        if later and (word != "meter" or self.group is not None or self.now != self.bar_start):
            right = "at the very start of the text" + (" or right after a bar line" if word == "meter" else "")
            raise self.error(f"'{word}' after the first step", f"{word} {right}", at, at + len(word))
        place = at + len(word)
        while place < len(self.text) and self.text[place] in BLANK:
            place += 1
        found, end = self.word_at(place)
        if word == "meter":
            match = METER.match(self.text, place)
            beats, value = (int(match[1]), int(match[2])) if match else (0, 0)
            if match is None or not 1 <= beats <= 64 or value not in METER_VALUES:
                raise self.error(found, "a meter such as 4/4 or 7/8", place, end)
            if self.meters and self.meters[-1][0] == self.now:
                raise self.error("a second meter", "one meter at a time", at, match.end())
            self.meter = (beats, value)
            self.meters.append((self.now, self.meter))
            self.add(Meter(beats, value, Span(at, match.end())))
        elif word == "swing":
            match = SWING.match(self.text, place)
            percent, value = (float(match[1]), int(match[2])) if match else (0.0, 0)
            low, high = SWING_RANGE
            if match is None or not low <= percent <= high or value not in SWING_VALUES:
                expected = f"a percentage from {low:g} to {high:g} and the notes that swing, such as swing 66 /8"
                raise self.error(found, expected, place, match.end() if match else end)
            if self.swing is not None:
                raise self.error("a second swing", "one swing for the whole text", at, match.end())
            self.swing = Swing(percent, value, Span(at, match.end()))
            self.add(self.swing)
            if not any(isinstance(element, Grid) for element in self.elements):
                self.grid = self.swing.grid
                self.step = self.grid.step
        else:
            match = NUMBER.match(self.text, place)
            bpm = float(match[0]) if match else 0.0
            low, high = TEMPO_RANGE
            if match is None or not low <= bpm <= high:
                raise self.error(found, f"a tempo from {low:g} to {high:g} BPM", place, end)
            if self.tempo is not None:
                raise self.error("a second tempo", "one tempo for the whole text", at, match.end())
            self.tempo = bpm
            self.add(Tempo(bpm, Span(at, match.end())))

    def read_grid(self) -> None:
        """Read a grid such as ``/16`` or ``/5:4/16``; it holds from here on.

        Raises StrokeTextError for note values and tuplets that there are not.
        """
        at = self.at
        found, end = self.word_at(at)
        match = GRID.match(self.text, at)
        expected = "a grid: /4 /8 /16 /32, with t for triplets (/8t), or n in the time of m (/5:4/16)"
        if match is None:
            raise self.error(found, expected, at, end)
        span = Span(at, match.end())
        if match[3] is None:
            grid = Grid(int(match[1]), triplet=bool(match[4]), span=span)
        else:
            count, of = int(match[1]), int(match[2])
            if not (1 <= count <= MAX_TUPLET and 1 <= of <= MAX_TUPLET) or match[4]:
                raise self.error(found, f"a tuplet of 1 to {MAX_TUPLET}, such as /5:4/16", at, end)
            grid = Grid(int(match[3]), count, of, span=span)
        if grid.value not in GRID_VALUES:
            raise self.error(found, expected, at, end)
        self.grid = grid
        self.step = grid.step
        self.finest = max(self.finest, grid.value)
        self.add(grid)

    def take_step(self, strikes: list[Strike], element: Element) -> None:
        """Take a stroke or a rest down: it lasts one step of the grid."""
        self.started = True
        row: list[object] = [
            self.now,
            self.step,
            strikes,
            len(self.groups) if self.group else -1,
            element.span,
        ]
        self.rows.append(row)
        self.strike_count += len(strikes)
        self.last_row = row
        self.now += self.step
        if self.group is not None:
            start, span, steps = self.group
            self.group = (start, span, steps + 1)
        self.add(element)

    def tie(self) -> None:
        """Lengthen the last step by one step of the grid.

        Raises StrokeTextError where nothing comes before.
        """
        at = self.at
        if self.last_row is None:
            raise self.error("'=' with nothing before it", "a stroke or a rest to lengthen first", at)
        self.last_row[1] = self.last_row[1] + self.step  # type: ignore[operator]
        self.now += self.step
        if self.group is not None:
            start, span, steps = self.group
            self.group = (start, span, steps + 1)
        self.add(Tie(Span(at, at + 1)))

    def open_group(self) -> None:
        """A group's ( and its name in quotes, if it has one."""
        at = self.at
        end = at + 1
        self.group_name = ""
        quote = self.skip_blank(end)
        if quote < len(self.text) and self.text[quote] == '"':
            close = self.text.find('"', quote + 1)
            name = self.text[quote + 1 : close] if close > 0 else ""
            if close < 0 or "\n" in name or not name.strip() or len(name) > MAX_NAME:
                raise self.error("a name that is not one", f'up to {MAX_NAME} characters between " and "', quote)
            self.group_name, end = name, close + 1
        span = Span(at, end)
        self.group = (self.now, span, 0)
        self.add(GroupOpen(self.group_name, span))

    def close_group(self) -> None:
        """End a group.

        Raises StrokeTextError where none is open, or nothing is in it.
        """
        at = self.at
        if self.group is None:
            raise self.error("')' without a group", EXPECTED_ITEM, at)
        start, opened, steps = self.group
        if not steps:
            raise self.error("an empty group", "at least one stroke or rest in it", opened.start, at + 1)
        shift, end = self.shift_at(at + 1) if self.text[at + 1 : at + 2] in (*SHIFTS,) else (0, at + 1)
        self.groups.append(Group(start, self.now - start, steps, Span(opened.start, end), self.group_name, shift))
        self.group = None
        self.add(GroupClose(Span(at, end), shift))

    def bar_line(self) -> None:
        """End a bar; one that is too short or too long is a fault, but for a pickup at the beginning."""
        at = self.at
        beats, value = self.meter or (4, 4)
        full = Fraction(beats, value)
        length = self.now - self.bar_start
        first = not self.bar_ends
        if first and not self.started:
            # A bar line before anything is played only says where the first bar begins.
            self.bar_ends.append(self.now)
        elif first and length < full:
            self.pickup = length
            self.bar_ends.append(self.now)
        elif length != full:
            number = len(self.bar_ends) - bisect_right(self.bar_ends, self.pickup) + 1
            self.faults.append(BarFault(number, length, full, (beats, value), Span(at, at + 1)))
        else:
            self.bar_ends.append(self.now)
        self.close_bar()

    def close_bar(self) -> None:
        """Take a bar line down and remember this place, to read on from."""
        if self.now > self.bar_start:
            self.closed.append((self.bar_start, self.now))
        if not self.bar_ends or self.bar_ends[-1] != self.now:
            self.bar_ends.append(self.now)
        self.started = True
        self.bar_start = self.now
        self.add(BarLine(Span(self.at, self.at + 1)))
        if self.group is None:
            self.checkpoints.append(self.checkpoint())

    # --- reading on from an earlier text ----------------------------------------------------------------------

    def checkpoint(self) -> Checkpoint:
        """Everything that reading on from here depends on."""
        return Checkpoint(
            self.at, self.now, self.grid, self.finest, self.meter, self.pickup, self.tempo,
            self.swing, len(self.elements), len(self.rows), len(self.groups), len(self.bar_ends), len(self.closed),
            len(self.meters), len(self.faults), self.strike_count,
            self.rows[-1][1] if self.rows else Fraction(0), self.bar_start,
        )  # fmt: skip

    def read_on_from(self, old: Parser) -> None:
        """Take over what an earlier reading of nearly the same text found, up to the bar in which they part.

        Where the texts are of one length, the bars after the change are taken over as well.
        """
        size, other = len(self.text), len(old.text)
        same = common_start(self.text, old.text)
        found = next((c for c in reversed(old.checkpoints) if c.at <= same), None)
        if found is not None:
            self.head = (old, found)
            self.at, self.now, self.grid, self.finest = found.at, found.now, found.grid, found.finest
            self.step, self.meter, self.pickup, self.tempo = found.grid.step, found.meter, found.pickup, found.tempo
            self.swing = found.swing
            self.bar_start, self.strike_count, self.started = found.bar_start, found.strikes, True
            self.elements = old.elements[: found.elements]
            self.rows = old.rows[: found.rows]
            if self.rows:
                # A hold after the bar line may have lengthened the last step since.
                self.rows[-1] = [*self.rows[-1]]
                self.rows[-1][1] = found.last_length
                self.last_row = self.rows[-1]
            self.groups = old.groups[: found.groups]
            self.bar_ends, self.closed = old.bar_ends[: found.bar_ends], old.closed[: found.closed]
            self.meters, self.faults = old.meters[: found.meters], old.faults[: found.faults]
            self.checkpoints = [c for c in old.checkpoints if c.at <= found.at]
        if size == other:
            ending = common_start(self.text[::-1], old.text[::-1])
            self.ahead = {c.at: c for c in old.checkpoints if c.at >= size - ending and c.at > self.at}
            self.before = old

    def take_tail(self, then: Checkpoint) -> bool:
        """Take the rest over from the earlier reading, if everything stands as it stood there."""
        old = self.before
        mine = self.checkpoints[-1] if self.checkpoints else None
        if old is None or mine is None or mine._replace(last_length=then.last_length) != then:
            return False
        longer = old.rows[then.rows - 1][1] - then.last_length if then.rows else Fraction(0)
        if longer:
            self.rows[-1][1] += longer  # type: ignore[operator]
        self.tail = (old, then)
        self.elements += old.elements[then.elements :]
        self.rows += old.rows[then.rows :]
        self.groups += old.groups[then.groups :]
        self.bar_ends += old.bar_ends[then.bar_ends :]
        self.closed += old.closed[then.closed :]
        self.meters += old.meters[then.meters :]
        self.faults += old.faults[then.faults :]
        self.checkpoints += [c for c in old.checkpoints if c.at > then.at]
        self.now, self.finest, self.meter, self.pickup = old.now, old.finest, old.meter, old.pickup
        self.strike_count = old.strike_count
        self.at = len(self.text)
        return True

    def strikes(self) -> None:
        """Read one step: a stroke, or several at one moment joined by ``+``."""
        start = self.at
        strikes = [self.strike(EXPECTED_IN_GROUP if self.group else EXPECTED_ITEM)]
        while True:
            at = self.skip_blank(self.at)
            if at >= len(self.text) or self.text[at] != "+":
                break
            self.at = self.skip_blank(at + 1)
            strikes.append(self.strike("a stroke (R, L, K, J, H or ?) after +"))
        self.take_step(strikes, Step(tuple(strikes), Span(start, self.at)))
