"""Sentences as data: a template with its fields, turned into words by whoever shows it.

The core says what it has to say in English and millimetres. It keeps the fields, so that a view can show lengths in
its own unit, and a translation can take the place of the template.

>>> said = message("the {name} is {far} too far", name="ride", far=Length(127))
>>> str(said)
'the ride is 127 mm too far'
>>> said.text(length=lambda mm, spec: f"{mm / 25.4:.1f} in")
'the ride is 5.0 in too far'
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from string import Formatter
from typing import Any


class Length(float):
    """A length in millimetres, as the field of a message."""


#: Writes a length (mm); the second argument is the format of the number that would do for millimetres.
LengthWriter = Callable[[float, str], str]


def millimetres(mm: float, spec: str = "") -> str:
    """How a length is written where nothing else is asked for."""
    return f"{mm:{spec or '.0f'}} mm"


def _as_it_is(template: str) -> str:
    return template


@dataclass(frozen=True, slots=True)
class Message:
    """A template in the syntax of ``str.format`` and its fields, which may be messages themselves.

    ``!c`` after the name of a field writes it with a capital, as a sentence begins. A field that is a Length is
    written with its unit; a format given for it holds for millimetres.
    """

    template: str
    fields: tuple[tuple[str, Any], ...] = ()

    def text(
        self,
        length: LengthWriter = millimetres,
        translate: Callable[[str], str] = _as_it_is,
        number: Callable[[str], str] = _as_it_is,
    ) -> str:
        """The words; ``length`` writes lengths (mm), ``translate`` gives the template in another language, ``number``
        writes a number that has a point the way others do.
        """
        return _Renderer(length, translate, number).words(self)

    def __str__(self) -> str:
        return self.text()

    def __bool__(self) -> bool:
        return bool(self.template)

    @property
    def values(self) -> Mapping[str, Any]:
        """The fields by their names."""
        return dict(self.fields)


NOTHING = Message("")


def message(template: str, /, **fields: Any) -> Message:
    """A message from its template and fields."""
    return Message(template, tuple(fields.items()))


def plain(text: str) -> Message:
    """A message that is only words, whatever characters are in them."""
    return message("{text}", text=text)


def joined(parts: Sequence[Any], between: str = ", ", last: str | None = None) -> Message:
    """Parts of a sentence one after the other, with another word before the ``last`` one if that is given.

    >>> str(joined(["the snare", "the hi-hat", "the ride"], last=" and "))
    'the snare, the hi-hat and the ride'
    """
    names = [f"p{k}" for k in range(len(parts))]
    *first, end = [f"{{{name}}}" for name in names] or [""]
    template = (between if last is None else last).join([*([between.join(first)] if first else []), end])
    return Message(template, tuple(zip(names, parts)))


def outside(what: str, mm: float, low: float, high: float, where: str = "") -> Message:
    """That a length is not within its bounds (mm); ``where`` says from where it is measured."""
    return message(
        "{what} is {mm:g}; expected {low:g} to {high:g}{where}",
        what=what, mm=Length(mm), low=Length(low), high=Length(high), where=where,
    )  # fmt: skip


class _Renderer(Formatter):
    def __init__(
        self, length: LengthWriter, translate: Callable[[str], str], number: Callable[[str], str]
    ) -> None:  # fmt: skip
        self._length, self._translate, self._number = length, translate, number

    def words(self, said: Message) -> str:
        return self.vformat(self._translate(said.template), (), said.values)

    def convert_field(self, value: Any, conversion: str | None) -> Any:
        if conversion == "c":
            words = self.format_field(value, "")
            return words[:1].upper() + words[1:]
        return super().convert_field(value, conversion)

    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, Message):
            return self.words(value)
        if isinstance(value, Length):
            return self._length(value, format_spec)
        found = format(value, format_spec)
        return self._number(found) if isinstance(value, float) else found
