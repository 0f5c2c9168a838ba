"""``deft-reach kit``: the kits there are, one in full, one from a tape, and one mirrored."""

from __future__ import annotations

import argparse
import math
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

from deft_reach.cli.inputs import KIT, PLAYER, guarded, player_of, read_kit
from deft_reach.cli.options import Argument, Option, Verb, say
from deft_reach.cli.output import FORCE, JSON, InputError, Output, no_json_beside, out_option, print_json, tell
from deft_reach.core.model.kit import Kit, KitError
from deft_reach.core.model.layouts import LAYOUTS, layout
from deft_reach.core.model.player import Player
from deft_reach.core.model.tape import Measured, TapeError, measure
from deft_reach.core.motion.comfort import Comfort, comforts
from deft_reach.formats import kinds
from deft_reach.formats.document import dump_kit, kit_dict
from deft_reach.formats.tape_csv import load_tape
from deft_reach.store.reading import read_file


def run_list(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    kits = [layout(name) for name in LAYOUTS]
    if args.json:
        rows = [
            {"name": kit.name, "note": kit.note, "pieces": [p.code for p in kit], "voices": list(kit.voices)}
            for kit in kits
        ]
        print_json({"kits": rows})
    else:
        for kit in kits:
            print(f"{kit.name:<13}{kit.note}\n{'':13}{' '.join(piece.code for piece in kit)}")
    return 0


def run_show(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    _show(read_kit(args.kit), args.json)
    return 0


def run_mirror(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    out = _output(args)
    kit = read_kit(args.kit).mirror()
    if out is not None:
        _write(kit, out)
        if not args.json:
            return 0
    _show(kit, args.json)
    return 0


def run_measure(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered, OutputError for what cannot be written.
    """
    out = _output(args)
    path = Path(args.distances)
    base, player = layout("five") if args.kit is None else read_kit(args.kit), player_of(args)
    readings, lines = guarded(path, lambda p: load_tape(read_file(p, 1_000_000)))
    try:
        found = measure(readings, base, player, args.left, args.right)
    except TapeError as error:
        where = f"line {lines[error.row]}, column 1: " if error.row is not None else ""
        raise InputError(f"{path}: {where}{error}") from None
    except KitError as error:
        raise InputError(f"{path}: {error}") from None
    if out is not None and found.fits:
        _write(found.kit, out)
    if out is None or not out.is_standard or not found.fits:
        tell(args, _measured, _in_words, found)
    if out is not None and not found.fits:
        say(f"deft-reach: {args.out} was not written: put the readings above right first")
    return 0 if found.fits else 1


def _measured(found: Measured) -> dict[str, Any]:
    rows = [
        {
            "from": r.reading.a,
            "to": r.reading.b,
            "measured": r.reading.mm,
            "solved": round(r.solved, 1),
            "residual": round(r.residual, 1),
            "by_others": round(r.by_others, 1),
            "suspect": r.suspect,
        }
        for r in found.residuals
    ]
    suggestion = None if found.suggestion is None else {"from": found.suggestion[0], "to": found.suggestion[1]}
    return {
        "kit": kit_dict(found.kit),
        "residuals": rows,
        "rms_mm": round(found.rms_mm, 2),
        "uncertainty": {code: round(value, 1) for code, value in found.uncertainty.items()},
        "undetermined": list(found.undetermined),
        "suggestion": suggestion,
        "contradictions": [str(words) for words in found.contradictions],
        "fits": found.fits,
    }


def _in_words(found: Measured) -> str:
    lines = [f"{len(found.residuals)} readings, {found.rms_mm:.1f} mm off on average"]
    for code, value in found.uncertainty.items():
        piece = found.kit.piece(code)
        assert piece is not None
        open_ = "  could stand elsewhere: measure more" if code in found.undetermined else f"  ± {value:.0f} mm"
        lines.append(f"{code:<6}{piece.name:<20}{piece.x:>8.0f}{piece.y:>8.0f}{piece.z:>8.0f} mm{open_}")
    lines += [f"impossible: {words}" for words in found.contradictions]
    for r in found.suspects:
        here, others = f"{r.reading.mm:.0f} mm", f"{r.by_others:.0f} mm"
        lines.append(f"likely misread: {r.reading.name} is {here} on the sheet, {others} by the others")
    if found.suggestion is not None:
        a, b = found.suggestion
        lines.append(f"most helpful next: {a} above the floor" if b == "floor" else f"most helpful next: {a} to {b}")
    return "\n".join(lines)


def _output(args: argparse.Namespace) -> Output | None:
    return None if args.out is None else Output(args.out, kinds.KIT, force=args.force)


def _write(kit: Kit, out: Output) -> None:
    out.write(dump_kit(kit))
    if not out.is_standard:
        say(f"wrote {out.name}")


def _comfort(found: dict[str, dict[str, Comfort]]) -> dict[str, dict[str, dict[str, float | None]]]:
    """Each hand's posture at each piece, for the default player while the other hand is at rest."""
    return {
        voice: {
            hand: {
                "reach": round(c.reach, 3),
                "elbow_deg": round(c.elbow, 1),
                "upper_arm_deg": round(c.upper_arm, 1),
                "lean_mm": round(c.lean, 1) if math.isfinite(c.lean) else None,
                "turn_deg": round(c.turn, 1),
            }
            for hand, c in hands.items()
        }
        for voice, hands in found.items()
    }


def _show(kit: Kit, as_json: bool) -> None:
    found = comforts(kit, Player() if kit.hat_side < 0 else Player().mirror(), kit.struck)
    if as_json:
        print_json({**kit_dict(kit), "comfort": _comfort(found)})
        return
    print(f"{kit.name}: {kit.note}")
    print(f"{'code':<6}{'name':<20}{'kind':<19}{'x mm':>7}{'y mm':>7}{'z mm':>7}{'width':>7}{'across':>8}{'tilt':>7}")
    for p in kit:
        print(
            f"{p.code:<6}{p.name:<20}{p.kind:<19}{p.x:>7.0f}{p.y:>7.0f}{p.z:>7.0f}{p.width:>7.0f}"
            f"{p.diameter:>8.0f}{p.tilt:>6.0f}°"
        )


_NAMED: Final = Argument("kit", "NAME|FILE", f"one of {', '.join(LAYOUTS)}, or a file")
_OUT: Final = out_option("FILE", "write the kit to a file")
_JSON: Final = JSON.only(no_json_beside)
VERBS: Final = (
    Verb("kit list", "the kits that ship with the app", "The kits that ship with the app.", run_list, (), (JSON,)),
    Verb("kit show", "one kit in full", "One kit in full.", run_show, (_NAMED,), (JSON,)),
    Verb("kit mirror", "a kit the other way round", "A kit the other way round.", run_mirror, (_NAMED,),
         (_OUT, FORCE, _JSON)),
    Verb(
        "kit measure",
        "a kit from tape readings",
        "Find where the pieces stand from distances measured with a tape. Each line of the sheet is from,to,mm and, "
        "if need be, the uncertainty in mm; 'to' may be another piece, seat or floor. Exit 1 if the readings cannot "
        "belong to one kit.",
        run_measure,
        (Argument("distances", "DISTANCES.csv", "the tape sheet"),),
        (
            KIT,
            replace(PLAYER, help="for the seat's height, if it is not in the sheet"),
            Option("--left", "a piece that stands to the player's left", "PIECE"),
            Option("--right", "a piece that stands to the player's right", "PIECE"),
            _OUT, FORCE, _JSON,
        ),
    ),
)  # fmt: skip
