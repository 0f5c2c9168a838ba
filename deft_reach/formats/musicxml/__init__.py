"""MusicXML 4.0, both ways: unpitched percussion on one staff, hands in voice 1 with stems up, feet in voice 2.

Stickings are lyrics. Beside the notation every note carries its stroke in ``<play><other-play>``, and the file the
stroke text it was made from, with a checksum of the strokes: untouched files come back to the letter, others by their
notes. Compressed files (``.mxl``) are read too.
"""

from deft_reach.formats.musicxml.reader import MAX_BYTES, load_musicxml
from deft_reach.formats.musicxml.writer import dump_musicxml

__all__ = ["MAX_BYTES", "dump_musicxml", "load_musicxml"]
