"""What is open and selected: the model the window listens to.

A session holds one document, which plan of it is in view, which stroke is selected, and the history of edits. It
knows no window; views connect to its signals.
"""

from __future__ import annotations

from deft_reach.core.session.candidates import CandidateEdits
from deft_reach.core.session.songs import SongEdits


class Session(CandidateEdits, SongEdits):
    """One open document with everything that can be done to it.

    >>> session = Session()
    >>> session.set_tempo(120)
    >>> session.undo_label
    'Tempo 120 BPM'
    """
