"""Stroke text: reading it, writing it, and changing it in place.

The grammar::

    text    := ( setting | grid | "|" | step | group )*        # comments run from # to the end of the line
    setting := "meter" N/M | "tempo" BPM                       # at the start, a meter after a bar line too
             | "swing" PERCENT "/8" | "swing" PERCENT "/16"    # where the second of two such notes falls: 50 straight
    grid    := "/" VALUE                                       # /4 /8 /16 /32, /8t /16t, or /n:m/VALUE
    step    := "-" | "=" | strike ( "+" strike )*
    strike  := [ "f" | "d" | "u" ] LIMB [ "@" VOICE ] MARK*
    LIMB    := "R" | "L" | "K" | "J" | "H" | "?"
    MARK    := ">" | "." | "~" | "x" | "^" | "o" | "'" | "," | SHIFT
    SHIFT   := ( "_" | "*" ) [ MS ]                             # laid back, pushed: by 15 ms or as many as said
    group   := "(" [ '"' NAME '"' ] ( step | grid | "|" )+ ")" [ SHIFT ]

A text is in sixteenths until it sets a grid, after a swing setting in the value that swings.
Spaces between items are free: ``RLRR`` is four strokes.
"""

from deft_reach.core.notation.stroke_text.edits import replace_strike, replace_strikes, rewrite, strike_of, with_tempo
from deft_reach.core.notation.stroke_text.grammar import (
    GRID_VALUES,
    MAX_TEXT,
    MAX_TUPLET,
    METER_VALUES,
    TEMPO_RANGE,
    StrokeTextError,
)
from deft_reach.core.notation.stroke_text.incremental import IncrementalParser
from deft_reach.core.notation.stroke_text.parser import fault_error, parse, tempo_of, with_grid_written
from deft_reach.core.notation.stroke_text.writer import write, write_strike

__all__ = [
    "GRID_VALUES", "MAX_TEXT", "MAX_TUPLET", "METER_VALUES", "TEMPO_RANGE", "IncrementalParser", "StrokeTextError",
    "fault_error", "parse", "replace_strike", "replace_strikes", "rewrite", "strike_of", "tempo_of",
    "with_grid_written", "with_tempo", "write", "write_strike",
]  # fmt: skip
