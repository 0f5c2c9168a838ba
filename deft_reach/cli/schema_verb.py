"""``deft-reach schema``: the published JSON Schema of a document."""

from __future__ import annotations

import argparse
import json
from typing import Any

from deft_reach.cli.inputs import print_json
from deft_reach.formats.document import schema


def add(verbs: Any) -> None:
    """Add the verb and its options to the parser."""
    parser = verbs.add_parser("schema", help="the JSON Schema of *.reach files", description="Print the JSON Schema.")
    parser.add_argument("--json", action="store_true", help="on one line")
    parser.set_defaults(run=run)


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    if args.json:
        print_json(schema())
    else:
        print(json.dumps(schema(), indent=1, ensure_ascii=False))
    return 0
