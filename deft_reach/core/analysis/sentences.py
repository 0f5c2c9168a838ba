"""The sentences of the findings: what each kind says, from its fields, and what it advises.

This is the only place where a finding becomes English. Templates are those of ``core.model.message``; lengths are
Length fields, so that views write them in their own unit.
"""

# Long: the catalogue of all sentences.
from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Final, NamedTuple

from deft_reach.core.analysis.endurance import lasting_words
from deft_reach.core.model.limbs import HAT_FOOT, KICK, SECOND_KICK
from deft_reach.core.model.message import NOTHING, Length, Message, joined, message
from deft_reach.core.model.near_voices import meant_voice

_NUMBERS: Final = ("", "one", "two", "three", "four", "five")
_PEDALS: Final = {
    KICK: message("a bass pedal"),
    SECOND_KICK: message("a second bass pedal"),
    HAT_FOOT: message("a hi-hat pedal"),
}


class Sentence(NamedTuple):
    """What there is to know, and what would help."""

    said: Message
    advised: Message = NOTHING


# --- parts of sentences -----------------------------------------------------------------------------------------


def at(place: str, bar: int, many_bars: bool) -> Message:
    """Where a stroke falls: ``3 &``, with its bar where there are several; bar 0 is the pickup."""
    if not many_bars:
        return message("{place}", place=place)
    if bar == 0:
        return message("{place} of the pickup", place=place)
    return message("{place} of bar {bar}", place=place, bar=bar)


def on(place: str, where: Message) -> Message:
    """On which place; one that is called "after …" has its own word."""
    return where if place.startswith("after") else message("on {where}", where=where)


def the(name: object) -> Message:
    return message("the {name}", name=name)


def times(count: int) -> Message:
    """That it comes more than once."""
    return message("; it comes {count} times", count=count) if count > 1 else NOTHING


# --- what cannot be done ----------------------------------------------------------------------------------------


def no_such_voice(kit: str, voice: str, when: Message, voices: Sequence[str]) -> Sentence:
    near = meant_voice(voice, voices)
    there = ", ".join(voices)
    return Sentence(
        message("The kit '{kit}' has no '{voice}' to strike {when}.", kit=kit, voice=voice, when=when),
        message("Did you mean '{near}'? It has {voices}.", near=near, voices=there)
        if near is not None
        else message("Use a voice it has: {voices}.", voices=there),
    )


def wrong_limb(when: Message, foot: bool, voice: object) -> Sentence:
    template = "{when!c} a foot cannot strike the {voice}." if foot else "{when!c} a hand cannot strike the {voice}."
    return Sentence(message(template, when=when, voice=voice), message("Give the stroke to a limb that can."))


def no_pedal(when: Message, limb: str, kit: str) -> Sentence:
    return Sentence(
        message(
            "{when!c} {limb} needs {pedal}, and the kit '{kit}' has none.",
            when=when, limb=limb, pedal=_PEDALS[limb], kit=kit,
        ),
        message("Choose a kit with that pedal, or give the stroke to another limb."),
    )  # fmt: skip


def too_many_hands(voices: Sequence[object], foot: object | None) -> Sentence:
    """More voices at once than two hands can strike; ``foot`` names the one that the foot could take."""
    number, over = (_NUMBERS[n] if n < len(_NUMBERS) else str(n) for n in (len(voices), len(voices) - 2))
    return Sentence(
        message(
            "two hands have {number} strokes at once: {voices}",
            number=number, voices=joined([the(voice) for voice in voices], last=" and "),
        ),
        message("leave {over} out", over=over)
        if foot is None
        else message("leave {over} out, or give the {foot} to the foot (H)", over=over, foot=foot),
    )  # fmt: skip


def too_many_at(when: Message, found: Sentence) -> Sentence:
    """The same as a whole sentence that begins with its place."""
    return Sentence(
        message("{when!c} {what}.", when=when, what=found.said), message("{advice!c}.", advice=found.advised)
    )


def both_pedals(when: Message, foot: Message, apart: float) -> Sentence:
    return Sentence(
        message(
            "{when!c} the {foot} would have to be on both pedals at once, and they stand {apart} apart.",
            when=when, foot=foot, apart=Length(apart),
        ),
        message("Move the pedals closer than {limit}, or leave one of the two strokes out.", limit=Length(160)),
    )  # fmt: skip


def twice_at_once(when: Message, limb: Message) -> Sentence:
    return Sentence(message("{when!c} the {limb} would have to strike twice at once.", when=when, limb=limb))


def two_at_once(when: Message, limb: Message, first: object, second: object, apart: float | None) -> Sentence:
    far = NOTHING if apart is None else message(", {apart} apart", apart=Length(apart))
    return Sentence(
        message(
            "{when!c} the {limb} would have to strike the {first} and the {second} at once{far}.",
            when=when, limb=limb, first=first, second=second, far=far,
        ),
        message("Give one of the two to the other hand."),
    )  # fmt: skip


# --- reach ------------------------------------------------------------------------------------------------------


def out_of_reach(when: Message, voice: object, hand: Message, other: Message, beyond: float, lean: float) -> Sentence:
    """``beyond`` is how far it is too far (mm), even leaning ``lean``; infinite where no leaning helps."""
    far = message("higher than the arm is long") if math.isinf(beyond) else message("{mm} too far", mm=Length(beyond))
    return Sentence(
        message(
            "{when!c} the {voice} is out of reach for the {hand}: {far}, even leaning {lean}.",
            when=when, voice=voice, hand=hand, far=far, lean=Length(lean),
        ),
        message("Try the {other}, or bring the {voice} closer.", other=other, voice=voice),
    )  # fmt: skip


def lean_for(voice: object, lean: float) -> Message:
    return message("leans {lean} to reach the {voice}", lean=Length(lean), voice=voice)


def stretch_for(voice: object, part: float) -> Message:
    """``part`` is the share of the arm, 0 to 1."""
    return message("stretches to {part:.0f} % of the arm for the {voice}", part=part * 100, voice=voice)


def strained_reach(
    hand: Message, other: Message, efforts: Sequence[Message], voices: Sequence[object], when: Message
) -> Sentence:
    return Sentence(
        message(
            "The {hand} {what}, first {when}.",
            hand=hand, what=joined(efforts, ", and "), when=when,
        ),
        message(
            "Bring {voices} closer, or use the {other}.",
            voices=joined([the(voice) for voice in voices], " and "), other=other,
        ),
    )  # fmt: skip


# --- crossing ---------------------------------------------------------------------------------------------------


def crossed_hold(span: Message, over: Message, clear: float, choice: Message, advice: Message) -> Sentence:
    return Sentence(
        message(
            "{span!c} the arms stay crossed, {over} over, {clear} clear at the tightest{choice}.",
            span=span, over=over, clear=Length(clear), choice=choice,
        ),
        advice,
    )  # fmt: skip


def crossover(
    when: Message, hand: Message, goes_over: bool, other: Message, voice: object, whereabouts: Message, clear: float,
    choice: Message, under: Message, beneath: object | None,
) -> Sentence:  # fmt: skip
    """``hand`` crosses over or under the ``other`` arm to a voice; ``under`` is the hand that is below, and
    ``beneath`` the voice at which it is while the other one crosses.
    """
    template = (
        "{when!c} the {hand} crosses over the {other} arm to the {voice} while the {other} {whereabouts}, "
        "{clear} clear{choice}."
        if goes_over
        else "{when!c} the {hand} crosses under the {other} arm to the {voice} while the {other} {whereabouts}, "
        "{clear} clear{choice}."
    )
    advice = "Keep the {under} low, or let it take the {voice}." if goes_over else "Keep the {under} low."
    if goes_over and str(beneath) == str(voice):
        advice = "Keep the {under} low."
    return Sentence(
        message(
            template, when=when, hand=hand, other=other, voice=voice, whereabouts=whereabouts, clear=Length(clear),
            choice=choice,
        ),
        message(advice, under=under, voice=voice),
    )  # fmt: skip


def goes_too() -> Message:
    return message("is on its way as well")


def waits_for(voice: object) -> Message:
    return message("waits for its first stroke on the {voice}", voice=voice)


def is_at(voice: object) -> Message:
    return message("is at the {voice}", voice=voice)


def on_its_way(start: object, end: object) -> Message:
    return message("is on its way from the {start} to the {end}", start=start, end=end)


def chosen_over(over: Message, under: Message, against: bool) -> Message:
    """Who goes over was said by the player; ``against`` what the heights would say."""
    if against:
        return message(
            "; you let the {over} go over, though the {under} is the higher one there", over=over, under=under
        )
    return message("; you let the {over} go over", over=over)


def either_over(over: Message, second: bool) -> Message:
    """Where the heights do not decide; ``second`` says that the hand that is proposed comes second."""
    if second:
        return message("; either may go over, and the {over} comes second", over=over)
    return message("; either may go over, say the {over}", over=over)


EXCHANGE_HANDS: Final = message("Exchange the two hands, or raise one of the two pieces.")
LET_ONE_OVER: Final = message("Say who goes over and keep the other low; else exchange the hands or raise a piece.")
OPEN_HANDED: Final = message("Play it open-handed, or raise the upper piece.")
ORDINARY: Final = message("The ordinary crossed posture.")


def keep_low(hand: Message) -> Message:
    return message("Keep the {hand} low.", hand=hand)


def open_handed(
    span: Message, hat: str, near: Message, far: Message, strokes: int, passes: Sequence[Message]
) -> Sentence:
    """``passes`` say where the hat passes from one hand to the other."""
    moved = message("; it passes {places}", places=joined(passes, " and ")) if passes else NOTHING
    return Sentence(
        message(
            "{span!c} the {hat} is the {near}'s alone ({strokes} strokes), the {far} is free of it, and nothing is "
            "crossed{moved}.",
            span=span, hat=hat, near=near, far=far, strokes=strokes, moved=moved,
        )
    )  # fmt: skip


def idle_marks(when: Message, mark: str, count: int) -> Sentence:
    return Sentence(
        message(
            "{when!c} the mark {mark} for who goes over decides nothing: the arms do not cross there{more}.",
            when=when, mark=mark, more=times(count),
        ),
        message("Put it on a stroke at which the arms cross, or leave it out."),
    )  # fmt: skip


def hat_passes(hand: Message, when: Message) -> Message:
    return message("to the {hand} {when}", hand=hand, when=when)


# --- moves ------------------------------------------------------------------------------------------------------


def sweep(span: Message, hand: Message, other: Message, voices: Sequence[object], travel: float, time: float,
          pace: float) -> Sentence:  # fmt: skip
    """``travel`` in mm, ``time`` in seconds."""
    return Sentence(
        message(
            "{span!c} the {hand} sweeps {path}: {travel} in {time:.0f} ms, pace {pace:.2f}.",
            span=span, hand=hand, path=joined(voices, " → "), travel=Length(travel),
            time=time * 1000, pace=pace,
        ),
        message("To ease it, hand one of the strokes to the {other}.", other=other),
    )  # fmt: skip


def goes(hand: Message, stays: bool, voice: object) -> Message:
    template = "the {hand} is at the {voice}" if stays else "the {hand} goes to the {voice}"
    return message(template, hand=hand, voice=voice)


def near_miss(
    where: Message, parts: tuple[str, str], clearance: float, goings: tuple[Message, Message], count: int,
    hurried: bool, over: Message, under: Message,
) -> Sentence:  # fmt: skip
    """``parts`` are the right and the left part that come close, to ``clearance`` (mm)."""
    how = (
        message("{clear} apart", clear=Length(clearance))
        if clearance >= 1
        else message("so close that they would touch")
    )
    return Sentence(
        message(
            "On the way to {where} the right {mine} and the left {others} pass {how}, while {right} and {left}{more}"
            "{time}.",
            where=where, mine=parts[0], others=parts[1], how=how, right=goings[0], left=goings[1],
            more=times(count), time=message(", and there is no time to go round") if hurried else NOTHING,
        ),
        message(
            "Let the {over} go over, it is the higher one there already, and keep the {under} low.",
            over=over, under=under,
        ),
    )  # fmt: skip


def strike_again(voice: object | None) -> Message:
    return message("to strike again") if voice is None else message("to strike the {voice} again", voice=voice)


CHANGE_PEDALS: Final = message("to change pedals")
SHARE_FEET: Final = message("share the strokes between both feet")
OTHER_HAND: Final = message("give the stroke to the other hand")


def from_to(start: object, end: object, far: float | None) -> Message:
    """``far`` in mm, None where it is not known."""
    if far is None:
        return message("from the {start} to the {end}", start=start, end=end)
    return message("from the {start} to the {end}, {far}", start=start, end=end, far=Length(far))


def for_the(move: Message, grace: str) -> Message:
    return message("{move} for the {grace}", move=move, grace=grace)


def grace_in_place(grace: str) -> Message:
    return message("let the {grace} fall on the voice where the hand is", grace=grace)


def hurried(
    when: Message, limb: Message, late: bool, move: Message, needed: float, gap: float, pace: float, count: int,
    shorten: bool, share: Message,
) -> Sentence:  # fmt: skip
    """``needed`` and ``gap`` in seconds; ``share`` is what else would help than slowing down."""
    how = message("has no time") if late else message("is hurried")
    return Sentence(
        message(
            "{when!c} the {limb} {how} {move}: it needs {needed:.0f} ms and gets {gap:.0f} ms, "
            "pace {pace:.2f}{more}.",
            when=when, limb=limb, how=how, move=move, needed=needed * 1000, gap=gap * 1000, pace=pace,
            more=times(count),
        ),
        message("Slow down, shorten the move, or {share}." if shorten else "Slow down, or {share}.", share=share),
    )  # fmt: skip


def overload(span: Message, limb: Message, rate: float, effort: float, lasts: float) -> Sentence:
    """``rate`` in strokes a second, ``effort`` 0 to 1 and above, ``lasts`` in seconds."""
    return Sentence(
        message(
            "{span!c} the {limb} plays {rate:.1f} strokes a second, {effort:.0f} % of what it can do: it keeps that "
            "up for {lasts}.",
            span=span, limb=limb, rate=rate, effort=effort * 100, lasts=lasting_words(lasts),
        ),
        message("Build it up slowly, keep the grip loose, and stop at pain or numbness."),
    )  # fmt: skip


# --- feet -------------------------------------------------------------------------------------------------------


def split_foot(when: Message, foot: Message, apart: float) -> Sentence:
    return Sentence(
        message(
            "{when!c} the {foot} has to hold the hi-hat pedal and the second bass pedal at once, {apart} apart.",
            when=when, foot=foot, apart=Length(apart),
        ),
        message("Leave the hi-hat foot out here, or use a hi-hat that stays closed by itself."),
    )  # fmt: skip


def unattended_hat(when: Message, foot: Message, strokes: int) -> Sentence:
    count = message("{n} strokes sound", n=strokes) if strokes > 1 else message("1 stroke sounds")
    return Sentence(
        message(
            "{when!c} the {foot} is on the second bass pedal, so the hi-hat is unattended: {count} open.",
            when=when, foot=foot, count=count,
        ),
        message("Write them as open, move them to another cymbal, or use a hi-hat that stays closed by itself."),
    )  # fmt: skip


def flammed_feet(when: Message, closest: float, heard_as_one: float, count: int) -> Sentence:
    """Times in seconds."""
    return Sentence(
        message(
            "{when!c} the feet are {closest:.0f} ms apart: two strokes closer than about {limit:.0f} ms are heard as "
            "one, flammed{more}.",
            when=when, closest=closest * 1000, limit=heard_as_one * 1000, more=times(count),
        ),
        message("Slow down, or let one foot play both."),
    )  # fmt: skip


def loose_unison(when: Message, count: int) -> Sentence:
    return Sentence(
        message(
            "{when!c} a hand and a foot strike together and both are hurried: they will not fall together{more}.",
            when=when, more=times(count),
        ),
        message("Practise the two alone on these strokes, and listen for one sound."),
    )  # fmt: skip


def uneven_feet(span: Message, strokes: int, gap: float, alone: float) -> Sentence:
    """Times in seconds."""
    return Sentence(
        message(
            "{span!c} the feet play {strokes} strokes by turns, {gap:.0f} ms apart; one foot alone needs "
            "{alone:.0f} ms, so neither can keep the other even.",
            span=span, strokes=strokes, gap=gap * 1000, alone=alone * 1000,
        ),
        message("Practise each foot's part alone on the beat, then together, and listen for pairs."),
    )  # fmt: skip


def exit_run(strokes: int, when: Message, foot: Message, pace: float) -> Sentence:
    return Sentence(
        message(
            "{strokes} foot strokes in a row end in the landing {when}: the {foot} lands at the end of a run, pace "
            "{pace:.2f}.",
            strokes=strokes, when=when, foot=foot, pace=pace,
        ),
        message("Leave the last one out, or land with the hand alone and the foot a beat later."),
    )  # fmt: skip


# --- lead -------------------------------------------------------------------------------------------------------


def lead_switch(hand: Message, when: Message, switches: int, led: int) -> Sentence:
    if switches == 1:
        return Sentence(message("The lead passes to the {hand} {when}.", hand=hand, when=when))
    return Sentence(
        message(
            "The lead changes hands {switches} times in {led} led beats, first to the {hand} {when}.",
            switches=switches, led=led, hand=hand, when=when,
        )
    )  # fmt: skip
