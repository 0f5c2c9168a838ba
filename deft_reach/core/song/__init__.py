"""Plans one after the other: chained, judged where they meet, eased on the way out."""

from deft_reach.core.song.chain import Chain, Part, Problem, chain_song
from deft_reach.core.song.verdict import Seam, SectionVerdict, SongReport, analyse_song

__all__ = ["Chain", "Part", "Problem", "Seam", "SectionVerdict", "SongReport", "analyse_song", "chain_song"]
