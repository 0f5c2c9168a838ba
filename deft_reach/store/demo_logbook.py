"""The demo's own logbook: weeks of made-up practice, takes and a hand test, in a private copy that ends yesterday."""

from __future__ import annotations

import csv
import io
import json
from datetime import datetime, timedelta
from pathlib import Path

from deft_reach.store.log_exchange import from_csv, from_json
from deft_reach.store.logbook import Logbook
from deft_reach.store.places import demo_log_file, demo_takes_file, private_folder

NAME = "demo-logbook.sqlite"


def demo_logbook(folder: Path, now: datetime) -> Path:
    """The demo's logbook in a folder, made on the first call from what ships with the app.

    All days are moved so that the last one is the day before ``now``. What is practised on the demo afterwards stays
    in it. Raises OSError and LogbookError where it cannot be made.
    """
    path = private_folder(folder) / NAME
    if path.exists():
        return path
    rows = list(csv.DictReader(io.StringIO(demo_log_file().read_text(encoding="utf-8"))))
    last = max(datetime.fromisoformat(row["at"]) for row in rows)
    days = timedelta(days=(now.date() - last.date()).days - 1)
    out = io.StringIO()
    writer = csv.DictWriter(out, list(rows[0]), lineterminator="\n")
    writer.writeheader()
    writer.writerows({**row, "at": _moved(row["at"], days)} for row in rows)
    raw = json.loads(demo_takes_file().read_text(encoding="utf-8"))
    for row in raw["takes"]:
        row["at"] = _moved(row["at"], days)
    # Under another name until it is whole: a copy that was cut off is not taken for one.
    begun = path.with_suffix(".new")
    begun.unlink(missing_ok=True)
    book = Logbook(begun)
    try:
        from_csv(book, out.getvalue())
        from_json(book, json.dumps(raw))
    finally:
        book.close()
    begun.replace(path)
    return path


def _moved(at: str, by: timedelta) -> str:
    return (datetime.fromisoformat(at) + by).isoformat()
