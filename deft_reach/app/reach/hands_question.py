"""What is asked of a search for hands, and what is said of its answer."""

from __future__ import annotations

from typing import Final

from deft_reach.app.text.words import sentence
from deft_reach.app.widgets.settings_line import Choice, Number
from deft_reach.app.widgets.tables import verdict_cells
from deft_reach.core.analysis.ranking import better
from deft_reach.core.analysis.report import Report
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.search.candidates import WHICH
from deft_reach.core.search.planner import Stickings

SETTINGS: Final = (
    Choice("which", "&Strokes", "Which strokes may have other hands", choices=WHICH, first="all"),
    Choice(
        "school", "&Leading", "Which stickings are looked at at all",
        choices={
            "free": "whatever is easiest", "right-lead": "right hand leads every beat",
            "left-lead": "left hand leads every beat", "natural": "natural: hand to hand on the grid",
            "alternate": "strictly hand to hand",
        },
        first="free",
    ),
    Choice(
        "hat", "&Hi-hat", choices={"free": "either way", "crossed": "crossed", "open": "open-handed"},
        first="free", said={"free": "hi-hat either way", "crossed": "hi-hat crossed"},
    ),
    Number("run", "Longest &run", "The most strokes of one hand in a row", high=12, none="any", suffix=" in a row"),
)  # fmt: skip

#: Why there is nothing to search, by the strokes that are asked about.
NOTHING: Final = {
    "open": "No stroke is written ?; choose other strokes, or write ? for a hand.",
    "finding": "Choose a finding first.",
    "group": "The selected stroke is in no group.",
}
EMPTY: Final = "Press Find the best hands: what is found is listed here, the easiest first."


def hands_of(report: Report) -> str:
    """The hands of a sticking, as letters one after the other."""
    return "".join(stroke.limb for stroke in report.pattern.strokes if stroke.limb in HANDS)


def answer_words(result: Stickings, own: Report | None) -> tuple[str, str]:
    """What is said of an answer beside the plan's ``own`` hands, and its tone."""
    if result.open:
        more = {1: "", 2: " So does one more moment."}.get(
            len(result.open), f" So do {len(result.open) - 1} more moments."
        )
        return f"{sentence(result.open_in_words[0])}{more} The rest is planned.", "error"
    best = result.best[0] if result.best else None
    text = ""
    if own is not None and best is not None and not own.pattern.unassigned and not better(best.report, own):
        text = "Nothing easier was found than the plan's own. "
    text += "That nothing costs less is proven." if result.proven else "The best found; others may be as good."
    if result.twice:
        text = f"Hand to hand it comes round every other time: it is written twice. {text}"
    if result.easier is not None:
        easier = result.easier.report
        text += f" Easier, but against habit: {hands_of(easier)}, ease {verdict_cells(easier)[0]}."
    habits = best.player.habits.words if best is not None else ""
    return text + (f" By your habits: {habits}." if habits else ""), "hint"
