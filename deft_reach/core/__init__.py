"""The computation: kits, players, patterns and what playing them takes. Knows no window and no files.

>>> from deft_reach.core import Player, analyse, layout, parse
>>> report = analyse(parse("R L R R L R L L"), layout("five"), Player(), tempo=90)
>>> report.summary.bottleneck is not None
True
"""

from deft_reach.core.analysis.analyse import analyse
from deft_reach.core.analysis.finding import Finding
from deft_reach.core.analysis.report import Report, StrokeReport
from deft_reach.core.model.kit import Kit, KitError, Piece, Zone, check_kit
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.model.pattern import Pattern, Stroke
from deft_reach.core.model.player import SKILLS, Player, PlayerError, check_player
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import StrokeTextError, parse, write

__all__ = [
    "LAYOUTS",
    "SKILLS",
    "Finding",
    "Kit",
    "KitError",
    "Pattern",
    "Piece",
    "Player",
    "PlayerError",
    "Report",
    "Stroke",
    "StrokeReport",
    "StrokeTextError",
    "Weights",
    "Zone",
    "analyse",
    "check_kit",
    "check_player",
    "layout",
    "parse",
    "write",
]
