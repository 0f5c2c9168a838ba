"""``deft-reach shot``: a picture of a view on the demo data, made off-screen."""

from __future__ import annotations

import argparse
import os
import re
from typing import Final

from deft_reach.cli.options import Option, Verb
from deft_reach.cli.output import FORCE, JSON, InputError, Output, no_json_beside, out_option, print_json
from deft_reach.formats import kinds

VIEWS: Final = (
    "kit", "write", "staff", "voice", "reach", "tray", "song", "climb", "log", "today", "start", "commit",
    "commitments",
)  # fmt: skip
DEFAULT_SIZE: Final = (1280, 800)


def _size(text: str) -> tuple[int, int]:
    match = re.fullmatch(r"(\d{3,4})x(\d{3,4})", text, re.ASCII)
    if match is None or not (640 <= int(match[1]) <= 7680 and 480 <= int(match[2]) <= 4320):
        raise argparse.ArgumentTypeError(f"'{text}': expected a size from 640x480 to 7680x4320, such as 1280x800")
    return int(match[1]), int(match[2])


def _of_plans(args: argparse.Namespace) -> str:
    return "does nothing on the start page" if args.view == "start" else ""


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status.

    Raises InputError for what cannot be read or answered, OutputError for what cannot be written.
    """
    out = Output(args.out, kinds.PNG, force=args.force)
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from deft_reach.app.paper.shot import take_shot

    try:
        picture = take_shot(args.view, args.size, args.plan, args.theme)
    except KeyError as error:
        raise InputError(error.args[0]) from None
    out.write(picture)
    if args.json:
        print_json({"view": args.view, "out": args.out, "width": args.size[0], "height": args.size[1]})
    return 0


VERB = Verb(
    "shot",
    "a PNG of a view",
    "Picture a view on the demo data, off-screen.",
    run,
    options=(
        Option("--view", ", ".join(VIEWS), "NAME", choices=VIEWS, required=True),
        out_option("PNG", "the file to write", required=True),
        Option("--size", "default 1280x800", "WxH", _size, DEFAULT_SIZE),
        Option("--plan", "which plan of the demo", "NAME", applies=(_of_plans,)),
        Option("--theme", "default light", default="light", choices=("light", "dark")),
        FORCE,
        JSON.only(no_json_beside),
    ),
)
