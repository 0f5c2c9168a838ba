"""``deft-reach shot``: a picture of a view on the demo data, made off-screen."""

from __future__ import annotations

import argparse
import os
import re
from pathlib import Path
from typing import Any

from deft_reach.cli.inputs import InputError, print_json

VIEWS = ("kit", "write", "staff", "voice", "reach", "tray", "song", "climb", "log", "start", "commit", "commitments")


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser(
        "shot", help="a PNG of a view", description="Picture a view on the demo data, off-screen."
    )
    parser.add_argument("--view", metavar="NAME", required=True, choices=VIEWS, help=", ".join(VIEWS))
    parser.add_argument("--out", metavar="PNG", required=True, help="the file to write")
    parser.add_argument("--size", metavar="WxH", default="1280x800", type=_size, help="default 1280x800")
    parser.add_argument("--plan", metavar="NAME", help="which plan of the demo")
    parser.add_argument("--theme", choices=("light", "dark"), default="light")
    parser.add_argument("--json", action="store_true", help="print one JSON object about the picture")
    parser.set_defaults(run=run)


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{3,4})x(\d{3,4})", text)
    if match is None or not (640 <= int(match[1]) <= 7680 and 480 <= int(match[2]) <= 4320):
        raise argparse.ArgumentTypeError(f"'{text}': expected a size from 640x480 to 7680x4320, such as 1280x800")
    return int(match[1]), int(match[2])


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered.
    """
    folder = Path(args.out).absolute().parent
    if not folder.is_dir():
        raise InputError(f"{args.out}: the folder {folder} does not exist")
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from deft_reach.app.shot import take_shot

    size = args.size
    try:
        take_shot(args.view, Path(args.out), size, args.plan, args.theme)
    except (OSError, KeyError) as error:
        raise InputError(f"{args.out}: {error}") from None
    if args.json:
        print_json({"view": args.view, "out": args.out, "width": size[0], "height": size[1]})
    return 0
