"""What is open and selected: the model the window listens to.

A session holds one document, which plan of it is in view, which stroke is selected, and the history of edits. It
knows no window; views connect to its signals. What can be done to plans, strokes, kits and so on is in the groups of
commands that it has.
"""

from __future__ import annotations

import time
from collections.abc import Callable

from deft_reach.core.document import Document
from deft_reach.core.session.history import History
from deft_reach.core.session.kits import KitCommands
from deft_reach.core.session.plans import PlanCommands
from deft_reach.core.session.songs import SongCommands
from deft_reach.core.session.stickings import StickingCommands
from deft_reach.core.session.strokes import StrokeCommands


class Session(History):
    """One open document with everything that can be done to it.

    >>> session = Session()
    >>> session.plans.set_tempo(120)
    >>> session.undo_label
    'Tempo 120 BPM'
    """

    def __init__(self, document: Document | None = None, clock: Callable[[], float] = time.monotonic) -> None:
        super().__init__(document, clock)
        self.strokes: StrokeCommands = StrokeCommands(self)
        self.stickings = StickingCommands(self)
        self.plans = PlanCommands(self)
        self.kits = KitCommands(self)
        self.songs = SongCommands(self)
