"""The 40 International Drum Rudiments (Percussive Arts Society) as stroke text, all on the snare."""

from __future__ import annotations

from typing import Final, NamedTuple

from deft_reach.core.model.pattern import Pattern
from deft_reach.core.notation.stroke_text import parse


class Rudiment(NamedTuple):
    """One rudiment: its usual name, its family, and one round of it starting with the right hand."""

    name: str
    family: str
    text: str

    @property
    def pattern(self) -> Pattern:
        return parse(self.text)


ROLLS: Final = "roll"
DIDDLES: Final = "diddle"
FLAMS: Final = "flam"
DRAGS: Final = "drag"

RUDIMENTS: Final = (
    Rudiment("single stroke roll", ROLLS, "/16 R L R L R L R L"),
    Rudiment("single stroke four", ROLLS, "/16t R L R /8 L  /16t R L R /8 L"),
    Rudiment("single stroke seven", ROLLS, "/16t R L R L R L /4 R"),
    Rudiment("multiple bounce roll", ROLLS, "/8 R~ L~ R~ L~"),
    Rudiment("triple stroke roll", ROLLS, "/8t R R R L L L"),
    Rudiment("double stroke open roll", ROLLS, "/16 R R L L R R L L"),
    Rudiment("five stroke roll", ROLLS, "/32 R R L L /8 R>  /32 L L R R /8 L>"),
    Rudiment("six stroke roll", ROLLS, "/16 R> /32 L L R R /16 L>  R> /32 L L R R /16 L>"),
    Rudiment("seven stroke roll", ROLLS, "/32 R R L L R R /16 L>  /32 R R L L R R /16 L>"),
    Rudiment("nine stroke roll", ROLLS, "/32 R R L L R R L L /4 R>  /32 L L R R L L R R /4 L>"),
    Rudiment("ten stroke roll", ROLLS, "/32 R R L L R R L L /16 R> L>"),
    Rudiment("eleven stroke roll", ROLLS, "/32 R R L L R R L L R R /16 L>"),
    Rudiment("thirteen stroke roll", ROLLS, "/32 R R L L R R L L R R L L /8 R>  /32 L L R R L L R R L L R R /8 L>"),
    Rudiment("fifteen stroke roll", ROLLS, "/32 R R L L R R L L R R L L R R /16 L>"),
    Rudiment(
        "seventeen stroke roll",
        ROLLS,
        "/32 R R L L R R L L R R L L R R L L /4 R>  /32 L L R R L L R R L L R R L L R R /4 L>",
    ),
    Rudiment("single paradiddle", DIDDLES, "/16 R> L R R  L> R L L"),
    Rudiment("double paradiddle", DIDDLES, "/16t R> L R L R R  L> R L R L L"),
    Rudiment("triple paradiddle", DIDDLES, "/16 R> L R L R L R R  L> R L R L R L L"),
    Rudiment("single paradiddle-diddle", DIDDLES, "/16t R> L R R L L  R> L R R L L"),
    Rudiment("flam", FLAMS, "/4 fR fL fR fL"),
    Rudiment("flam accent", FLAMS, "/8t fR> L R  fL> R L"),
    Rudiment("flam tap", FLAMS, "/16 fR R fL L fR R fL L"),
    Rudiment("flamacue", FLAMS, "/16 fR L> R L /4 fR  /16 fL R> L R /4 fL"),
    Rudiment("flam paradiddle", FLAMS, "/16 fR> L R R  fL> R L L"),
    Rudiment("single flammed mill", FLAMS, "/16 fR> R L R  fL> L R L"),
    Rudiment("flam paradiddle-diddle", FLAMS, "/16t fR> L R R L L  fL> R L L R R"),
    Rudiment("pataflafla", FLAMS, "/16 fR> L R fL>  fR> L R fL>"),
    Rudiment("swiss army triplet", FLAMS, "/8t fR> R L  fR> R L"),
    Rudiment("inverted flam tap", FLAMS, "/16 fR L fL R  fR L fL R"),
    Rudiment("flam drag", FLAMS, "/8t fR> /16t L L /8t R  fL> /16t R R /8t L"),
    Rudiment("drag", DRAGS, "/4 dR dL dR dL"),
    Rudiment("single drag tap", DRAGS, "/8 dR L>  dL R>"),
    Rudiment("double drag tap", DRAGS, "/8 dR dR L>  dL dL R>"),
    Rudiment("lesson 25", DRAGS, "/16 dR L /8 R>  /16 dR L /8 R>"),
    Rudiment("single dragadiddle", DRAGS, "/32 R> R /16 L R R  /32 L> L /16 R L L"),
    Rudiment("drag paradiddle no. 1", DRAGS, "/8 R> dR L R R  L> dL R L L"),
    Rudiment("drag paradiddle no. 2", DRAGS, "/8 R> dR dR L R R  L> dL dL R L L"),
    Rudiment("single ratamacue", DRAGS, "/8t dR L R /4 L>  /8t dL R L /4 R>"),
    Rudiment("double ratamacue", DRAGS, "/8 dR /8t dR L R /4 L>  /8 dL /8t dL R L /4 R>"),
    Rudiment("triple ratamacue", DRAGS, "/8 dR dR /8t dR L R /4 L>  /8 dL dL /8t dL R L /4 R>"),
)


def rudiment(name: str) -> Rudiment:
    """The rudiment of this name. Raises KeyError when there is none."""
    for found in RUDIMENTS:
        if found.name == name:
            return found
    raise KeyError(f"no rudiment named '{name}'")
