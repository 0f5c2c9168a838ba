"""``deft-reach schema``: the published JSON Schema of a document."""

from __future__ import annotations

import argparse
import json

from deft_reach.cli.options import Option, Verb
from deft_reach.cli.output import print_json
from deft_reach.formats.document import schema


def run(args: argparse.Namespace) -> int:
    """Answer the verb on standard output; its exit status."""
    if args.json:
        print_json(schema())
    else:
        print(json.dumps(schema(), indent=1, ensure_ascii=False))
    return 0


VERB = Verb(
    "schema", "the JSON Schema of *.reach files", "Print the JSON Schema.", run,
    options=(Option("--json", "on one line", default=False),),
)  # fmt: skip
