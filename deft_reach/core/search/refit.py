"""The same figure on another kit, or with one pedal instead of two.

Drums keep their order from high to low: where there are fewer of them, neighbours share one. Cymbals go by their
role. What is closest in sound comes first, then what is cheapest to play. What the feet do is in refit_feet.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations_with_replacement, product
from typing import Final

from deft_reach.core.analysis.analyse import DEFAULT_WEIGHTS, analyse
from deft_reach.core.analysis.ranking import merit_of
from deft_reach.core.analysis.report import Report
from deft_reach.core.document import read_unfinished
from deft_reach.core.model.elements import Strike
from deft_reach.core.model.kit import Kit, Piece, piece_of, voice_name
from deft_reach.core.model.layouts import STANDARD_VOICES, new_piece
from deft_reach.core.model.layouts import layout as shipped
from deft_reach.core.model.limbs import HANDS
from deft_reach.core.model.pattern import Pattern
from deft_reach.core.model.player import Player
from deft_reach.core.model.substitutes import like
from deft_reach.core.motion.cost import Weights
from deft_reach.core.notation.stroke_text import rewrite, strike_of
from deft_reach.core.search.errors import SearchError
from deft_reach.core.search.progress import NO_PROGRESS, Progress
from deft_reach.core.search.refit_feet import Substitution, foot_changes

_TOMS: Final = ("tom", "floor-tom")
#: What a loss of likeness weighs: another kind, and two sounds that become one.
_OTHER_KIND: Final = 1.0
_SHARED: Final = 0.7
_OTHER_CODE: Final = 0.05
#: Mappings that are analysed at most.
MOST: Final = 48


class RefitError(SearchError):
    """A question that has no answer: says what to give instead."""


@dataclass(frozen=True)
class Refitted:
    """One answer. ``loss`` says how far it is from the original in sound: 0 is the same."""

    text: str
    report: Report
    substitutions: tuple[Substitution, ...]
    loss: float
    kit: Kit

    @property
    def breaks(self) -> bool:
        """Whether it breaks at the tempo asked."""
        limit = self.report.summary.tempo_limit
        return self.report.impossible or (limit is not None and limit < self.report.tempo)


def refit(
    pattern: Pattern,
    source: Kit,
    target: Kit,
    player: Player,
    tempo: float,
    *,
    pedals: int | None = None,
    chosen: Mapping[str, str] | None = None,
    best: int = 5,
    repeat: bool = False,
    weights: Weights = DEFAULT_WEIGHTS,
    progress: Progress = NO_PROGRESS,
) -> tuple[Refitted, ...]:
    """The pattern, meant for ``source``, on ``target``: closest in sound first, then cheapest.

    What breaks at the tempo asked comes after everything that does not.

    ``pedals`` is how many bass pedals there are, 1 or 2; None leaves it to the kit. ``chosen`` settles what some
    voices become.

    Raises RefitError for an unknown number of pedals and for chosen voices that are not there.
    """
    if pedals not in (None, 1, 2):
        raise RefitError(f"{pedals} pedals make no sense; expected 1 or 2")
    if pattern.unassigned:
        raise RefitError("a refit needs a settled sticking: give every ? a hand first")
    kit = with_pedals(target, pedals)
    voices = list(dict.fromkeys(s.voice for s in pattern.strokes if s.limb in HANDS))
    for voice, wanted in (chosen or {}).items():
        if wanted not in kit.voices:
            raise RefitError(f"the kit '{kit.name}' has no voice '{wanted}'; it has {', '.join(kit.voices)}")
        if voice not in voices:
            raise RefitError(f"no hand plays '{voice}' here; hands play {', '.join(voices)}")
    found: list[Refitted] = []
    feet = foot_changes(pattern, kit, player, tempo, repeat)
    maps = sorted(_maps(voices, source, kit, chosen or {}), key=lambda row: row[0])[:MOST]
    if not maps:
        raise RefitError(f"the kit '{kit.name}' has nothing for the hands to strike")
    for loss, mapping in maps:
        moved, said = _voiced(pattern, source, kit, mapping)
        for change in feet:
            progress.at(len(found), None)
            changes = {**moved, **change.strikes}
            for index in change.flams:
                strike = moved.get(index) or strike_of(pattern, index)
                changes[index] = replace(strike, grace=strike.grace or "f")
            text = rewrite(pattern, changes) if changes else pattern.text
            more, lost = change.said, change.loss
            new = read_unfinished(text, kit)
            report = analyse(new, kit, player, tempo, repeat=repeat, weights=weights)
            found.append(Refitted(text, report, (*said, *more), loss + lost, kit))
    distinct = {row.text: row for row in sorted(found, key=_rank, reverse=True)}
    return tuple(sorted(distinct.values(), key=_rank)[: max(1, best)])


def _rank(row: Refitted) -> tuple[bool, bool, float, int, int, float]:
    merit = merit_of(row.report)
    return (
        row.report.impossible, row.breaks, round(row.loss, 3), merit.level, merit.weight, row.report.summary.cost,
    )  # fmt: skip


def with_pedals(kit: Kit, pedals: int | None) -> Kit:
    """The kit with so many bass pedals, 1 or 2, a new one in its usual place; None leaves it as it is."""
    second = kit.of_kind("second-bass-pedal")
    if pedals == 1 and second is not None:
        return replace(kit, pieces=tuple(p for p in kit.pieces if p.kind != "second-bass-pedal"))
    if pedals == 2 and second is None:
        return replace(kit, pieces=(*kit.pieces, new_piece(kit, "second-bass-pedal")))
    return kit


# --- voices ----------------------------------------------------------------------------------------------------


def _pitch(piece: Piece) -> tuple[bool, float]:
    """Drums from high to low: rack before floor, small before large."""
    return piece.kind == "floor-tom", piece.diameter


def _home(code: str, source: Kit) -> Piece | None:
    """A piece of the kit a pattern was meant for, or of a shipped kit that has one of that code."""
    piece = source.piece(code)
    if piece is not None or code not in STANDARD_VOICES:
        return piece
    return next((p for name in ("large", "pit") if (p := shipped(name).piece(code)) is not None), None)


def _maps(
    voices: Sequence[str], source: Kit, target: Kit, chosen: Mapping[str, str]
) -> Iterator[tuple[float, dict[str, str]]]:
    """Every way to give the target's voices to these, with what is lost in likeness."""
    codes = list(dict.fromkeys(piece_of(voice) for voice in voices))
    homes = {code: _home(code, source) for code in codes}
    toms = sorted((p for code in codes if (p := homes[code]) is not None and p.kind in _TOMS), key=_pitch)
    there = sorted((p for p in target if p.kind in _TOMS), key=_pitch)
    others = [code for code in codes if code not in {p.code for p in toms}]
    options = [_others(code, homes[code], target) for code in others]
    if any(not row for row in options):
        return
    for tom_loss, tom_map in _tom_maps(toms, there, target):
        for picks in product(*options):
            pieces = dict(tom_map)
            loss = tom_loss
            for code, (price, piece) in zip(others, picks):
                pieces[code] = piece
                loss += price
            loss += _shared(pieces)
            mapping = {voice: _zone(voice, pieces[piece_of(voice)]) for voice in voices}
            mapping.update(chosen)
            yield loss, mapping


def _others(code: str, home: Piece | None, target: Kit) -> list[tuple[float, Piece]]:
    """What may stand for a piece that is no tom: its loss, and the piece; the best few."""
    same = target.piece(code)
    kind = home.kind if home is not None else (same.kind if same is not None else "block")
    if same is not None and same.kind == kind:
        return [(0.0, same)]
    roles = like(kind) or ("snare",)
    rows = []
    for piece in target:
        if piece.kind in roles:
            away = abs(piece.x - home.x) / 10_000 if home is not None else 0.0
            rows.append((roles.index(piece.kind) * _OTHER_KIND + _OTHER_CODE + away, piece))
    rows.sort(key=lambda row: row[0])
    return rows[:3] or [(5.0, p) for p in target if p.kind in ("snare", "tom", "floor-tom")][:1]


def _tom_maps(toms: Sequence[Piece], there: Sequence[Piece], target: Kit) -> Iterator[tuple[float, dict[str, Piece]]]:
    """Toms to toms with their order kept; without any, to other drums or to cymbals in the order of their size."""
    if not toms:
        yield 0.0, {}
        return
    if there:
        for picks in combinations_with_replacement(range(len(there)), len(toms)):
            yield _tom_loss(toms, there, picks), {t.code: there[k] for t, k in zip(toms, picks)}
    # Toms to cymbals: from high to low, the smallest first.
    cymbals = sorted((p for p in target if p.kind in ("splash", "crash", "ride", "china")), key=lambda p: p.diameter)
    if cymbals and len(there) < len(toms):
        for picks in combinations_with_replacement(range(len(cymbals)), len(toms)):
            loss = _tom_loss(toms, cymbals, picks) + _OTHER_KIND * len(toms)
            yield loss, {t.code: cymbals[k] for t, k in zip(toms, picks)}
    if not there and not cymbals:
        snare = target.of_kind("snare")
        if snare is not None:
            yield 2.0 * len(toms), {t.code: snare for t in toms}


def _tom_loss(toms: Sequence[Piece], there: Sequence[Piece], picks: Sequence[int]) -> float:
    """Unlike in code, in kind, and in their place between the highest and the lowest."""
    loss = 0.0
    for rank, (tom, k) in enumerate(zip(toms, picks)):
        piece = there[k]
        if piece.code != tom.code:
            loss += _OTHER_CODE + (0.1 if piece.kind != tom.kind else 0.0)
            was = rank / max(1, len(toms) - 1)
            now = k / max(1, len(there) - 1)
            loss += 0.05 * abs(was - now)
    return loss


def _shared(pieces: Mapping[str, Piece]) -> float:
    """What it costs in likeness that several sounds become one."""
    return _SHARED * (len(pieces) - len({piece.code for piece in pieces.values()}))


def _zone(voice: str, piece: Piece) -> str:
    zone = voice.partition(":")[2]
    return f"{piece.code}:{zone}" if zone and piece.zone(zone) is not None else piece.code


def _voiced(
    pattern: Pattern, source: Kit, target: Kit, mapping: Mapping[str, str]
) -> tuple[dict[int, Strike | None], list[Substitution]]:
    """The strikes that change, and what is said of them."""
    changes: dict[int, Strike | None] = {}
    rows: dict[tuple[str, str], list[int]] = {}
    for s in pattern.strokes:
        wanted = mapping.get(s.voice) if s.limb in HANDS else None
        if wanted is not None and wanted != s.voice:
            changes[s.index] = replace(strike_of(pattern, s.index), voice=wanted)
            rows.setdefault((s.voice, wanted), []).append(s.index)
    said = [
        Substitution(was, now, tuple(indices), _why(was, now, source, target, mapping))
        for (was, now), indices in rows.items()
    ]
    return changes, said


def _why(was: str, now: str, source: Kit, target: Kit, mapping: Mapping[str, str]) -> str:
    home = _home(piece_of(was), source)
    known = source.piece(piece_of(was)) is not None
    name = voice_name(source, was) if known else home.name if home is not None else f"'{was}'"
    there = target.piece(piece_of(now))
    words = voice_name(target, now)
    if home is None or there is None:
        return f"{name} is on neither kit; the {words} takes it"
    if there.code == home.code:
        return f"the {words} has no {was.partition(':')[2]} here"
    also = [voice for voice, other in mapping.items() if other == now and voice != was]
    if target.piece(home.code) is None:
        why = f"the kit has no {name}: the {words} takes it"
    else:
        why = f"the {name}'s place in the order is the {words}'s here"
    if there.kind not in (home.kind, *_TOMS) or home.kind not in (*_TOMS, there.kind):
        why = f"the kit has no {name}: of what it has, the {words} is nearest to it"
    return why + (", which it shares" if also else "")
