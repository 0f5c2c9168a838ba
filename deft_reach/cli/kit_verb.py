"""``deft-reach kit``: the kits there are, one in full, and one mirrored."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import Any

from deft_reach.cli.inputs import InputError, print_json, read_kit
from deft_reach.core.kit import Kit
from deft_reach.core.layouts import LAYOUTS, layout
from deft_reach.formats.document import dump_kit, kit_dict
from deft_reach.store.atomic import write_atomic


def add(verbs: Any) -> None:
    parser = verbs.add_parser("kit", help="list, show or mirror kits", description="Kits and their measures.")
    actions = parser.add_subparsers(dest="action", metavar="list|show|mirror", required=True)
    lister = actions.add_parser("list", help="the kits that ship with the app")
    shower = actions.add_parser("show", help="one kit in full")
    mirrorer = actions.add_parser("mirror", help="a kit the other way round")
    for sub in (shower, mirrorer):
        sub.add_argument("kit", metavar="NAME|FILE", help=f"one of {', '.join(LAYOUTS)}, or a file")
    mirrorer.add_argument("--out", metavar="FILE", help="write the mirrored kit to a file")
    for sub, run in ((lister, run_list), (shower, run_show), (mirrorer, run_mirror)):
        sub.add_argument("--json", action="store_true", help="print one JSON object")
        sub.set_defaults(run=run)


def run_list(args: argparse.Namespace) -> int:
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
    _show(read_kit(args.kit), args.json)
    return 0


def run_mirror(args: argparse.Namespace) -> int:
    kit = read_kit(args.kit).mirror()
    if args.out:
        try:
            write_atomic(Path(args.out), dump_kit(kit))
        except OSError as error:
            raise InputError(f"{args.out}: {error.strerror or error}") from None
        print(f"wrote {args.out}", file=sys.stderr)
        if not args.json:
            return 0
    _show(kit, args.json)
    return 0


def _show(kit: Kit, as_json: bool) -> None:
    if as_json:
        print_json(kit_dict(kit))
        return
    print(f"{kit.name}: {kit.note}")
    print(f"{'code':<6}{'name':<20}{'kind':<19}{'x mm':>7}{'y mm':>7}{'z mm':>7}{'width':>7}{'across':>8}{'tilt':>7}")
    for p in kit:
        print(
            f"{p.code:<6}{p.name:<20}{p.kind:<19}{p.x:>7.0f}{p.y:>7.0f}{p.z:>7.0f}{p.width:>7.0f}"
            f"{p.diameter:>8.0f}{p.tilt:>6.0f}°"
        )
