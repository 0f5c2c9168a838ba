"""A stroke in words: what hovering says, and what the text equivalents say."""

from __future__ import annotations

from deft_reach.app.text import units
from deft_reach.app.text.numbers import decimal
from deft_reach.core.analysis.report import Report, pace_word
from deft_reach.core.model.counting import in_bar, place
from deft_reach.core.model.elements import GRACES
from deft_reach.core.model.kit import Kit, voice_name
from deft_reach.core.model.limbs import FEET, HANDS, KICK, LEFT, RIGHT
from deft_reach.core.model.pattern import Pattern, Stroke
from deft_reach.core.model.player import Player
from deft_reach.core.motion.comfort import comfort, easier
from deft_reach.core.motion.pose import MAX_LEAN_MM


def limb_name(kit: Kit, limb: str) -> str:
    """The limb as a player says it: the kit decides which foot is which."""
    if limb == "R":
        return "right hand"
    if limb == "L":
        return "left hand"
    if limb == "?":
        return "a hand not chosen yet"
    right = (kit.bass_foot_side > 0) == (limb == KICK)
    return "right foot" if right else "left foot"


def place_of(pattern: Pattern, stroke: Stroke) -> str:
    """Bar and beat: "bar 2, 3 &", or without the bar when there is only one."""
    return in_bar(stroke.bar, stroke.beat) if pattern.many_bars else place(stroke.beat)


def name_of(kit: Kit, stroke: Stroke) -> str:
    """Limb and piece: "right hand on the floor tom"."""
    return f"{limb_name(kit, stroke.limb)} on the {voice_name(kit, stroke.voice)}"


def where(report: Report, index: int) -> str:
    """Bar and beat of a stroke, see ``place_of``."""
    return place_of(report.pattern, report.pattern.strokes[index])


def stroke_facts(report: Report, index: int) -> list[tuple[str, str]]:
    """Everything worth knowing of a stroke, as name and value with its unit."""
    stroke, kit = report.strokes[index], report.table.kit
    facts: list[tuple[str, str]] = []
    if kit.voice_point(stroke.voice) is None:
        return [("voice", f"'{stroke.voice}' is not on this kit")]
    if stroke.limb in HANDS and stroke.came_from and stroke.travel_mm:
        facts.append(("comes from", f"{voice_name(kit, stroke.came_from)}, {units.length(stroke.travel_mm)} away"))
    elif stroke.gap is not None:
        moved = f"the other pedal, {units.length(stroke.travel_mm)} away" if stroke.travel_mm else "the same place"
        facts.append(("comes from", moved))
    if stroke.gap is not None and stroke.pace is not None and stroke.tempo_limit is not None:
        facts.append(("has", f"{stroke.gap * 1000:.0f} ms, needs {stroke.needed * 1000:.0f} ms"))
        facts.append(("pace", f"{decimal(stroke.pace, '.2f')} · {pace_word(stroke.pace)}"))
        facts.append(("breaks at", f"{stroke.tempo_limit:.0f} BPM"))
    else:
        facts.append(("pace", "its limb's first stroke: as long as it likes"))
    if stroke.limb not in FEET and stroke.reach is not None:
        lean = report.table.lean[stroke.limb].get(stroke.voice, 0.0)
        leaning = f", leaning {units.length(lean)}" if lean > 0 else ""
        facts.append(("reach", f"{stroke.reach * 100:.0f} % of the arm{leaning}"))
    facts.append(("stroke", stroke.stroke_type))
    for grace in stroke.graces:
        name = GRACES[stroke.grace]
        way = f"from the {voice_name(kit, grace.came_from)}" if grace.travel_mm else "already there"
        facts.append((f"{name} by", f"{limb_name(kit, grace.limb)}, {way}"))
        facts.append((f"{name} pace", f"{decimal(grace.pace, '.2f')} · {pace_word(grace.pace)}"))
    if stroke.limb in HANDS:
        words = arms_words(report, index)
        if words:
            facts.append(("arms", words))
    return facts


def arms_words(report: Report, index: int) -> str:
    """How the arms cross at a stroke or on the way to it, and whether its own hand comes across; empty where they do
    not.
    """
    cross = report.cross_at(index)
    if cross is None:
        return ""
    over = "right" if cross.over == RIGHT else "left"
    who = f"{over} over"
    if cross.chosen:
        who += ", chosen"
    elif cross.either:
        who = f"either over, say {over}"
    here = report.postures[report.posture_of[index]].cross is not None
    hand, _ = report.arrivals.get(index, ("", None))
    how = "crossed" if here else "cross on the way"
    if here and hand == report.strokes[index].limb:
        how = "comes across"
    return f"{how}, {who}, {units.length(cross.clearance)}"


def comfort_lines(kit: Kit, player: Player, voice: str) -> list[str]:
    """How each hand gets to a voice, a line a hand, and which has it easier; empty for what feet play."""
    found = comfort(kit, player, voice)
    lines = []
    for hand, name in ((RIGHT, "right hand"), (LEFT, "left hand")):
        if hand not in found:
            continue
        each = found[hand]
        words = f"{name} {each.word}: {each.reach * 100:.0f} % of the arm, elbow at {each.elbow:.0f}°"
        if 0 < each.lean <= MAX_LEAN_MM:
            words += f", leaning {units.length(each.lean)}"
        lines.append(words)
    if found:
        above = next(iter(found.values())).above_elbow
        level = "level with the elbow"
        if abs(above) >= 10:
            level = f"{units.length(abs(above))} {'above' if above > 0 else 'below'} the hanging elbow"
        better = easier(found)
        who = "as easy for either hand" if better is None else f"easier for the {limb_name(kit, better)}"
        lines.append(f"{level}; {who}")
    return lines


def stroke_title(report: Report, index: int) -> str:
    """Limb and piece of a stroke, see ``name_of``."""
    return name_of(report.table.kit, report.pattern.strokes[index])


def stroke_words(report: Report, index: int) -> str:
    """One stroke as running text."""
    facts = "; ".join(f"{name} {value}" for name, value in stroke_facts(report, index))
    return f"{where(report, index)}: {stroke_title(report, index)}; {facts}."
