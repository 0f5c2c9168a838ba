"""Plans one after the other: chained, judged where they meet, eased on the way out."""

from deft_reach.core.song.chain import chain_song
from deft_reach.core.song.parts import Chain, Part, Problem
from deft_reach.core.song.seams import Seam
from deft_reach.core.song.verdict import SectionVerdict, SongReport, analyse_song

__all__ = ["Chain", "Part", "Problem", "Seam", "SectionVerdict", "SongReport", "analyse_song", "chain_song"]
