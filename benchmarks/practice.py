"""Practice in the long run: a take of 10,000 strokes, and a logbook of 100,000 attempts."""

from __future__ import annotations

import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

from deft_reach.core import layout, parse
from deft_reach.core.practice.simulation import Faults, simulate
from deft_reach.core.practice.take import check_take
from deft_reach.core.practice.verdicts import VERDICTS
from deft_reach.formats.general_midi import key_of
from deft_reach.store.log_entries import Attempt
from deft_reach.store.logbook import Logbook

STROKES = 10_000
ATTEMPTS = 100_000
STAGES = ("hands on one surface", "with the feet", "everything")


def takes(yardstick: float, figure: str) -> dict[str, float]:
    """A performance of 10,000 strokes, a figure round and round, with a late left hand and some strokes missed."""
    kit, pattern = layout("five"), parse(figure)
    keys = [key_of(kit, s.voice, s.limb, s.marks) for s in pattern.strokes]
    rounds = STROKES // len(pattern.strokes) + 1
    faults = Faults(late_left=0.012, missed=0.01, drift=0.03, jitter=0.004)
    hits = simulate(pattern, keys, 100, faults, rounds).hits
    found = []
    for _ in range(3):
        begin = time.perf_counter()
        take = check_take(pattern, keys, hits, 100, kit, repeat=True)
        found.append(time.perf_counter() - begin)
    return {
        "take_10000.strokes": rounds * len(pattern.strokes),
        "take_10000.rounds_found": take.rounds / rounds,
        "take_10000.ms": min(found) * 1e3,
        "take_10000.yardsticks": min(found) / yardstick,
    }


def attempts(plans: list[str]) -> Iterator[Attempt]:
    """Some years of practice, a dozen or two of attempts a day."""
    chance = random.Random(1)
    at = datetime(2019, 1, 1, 18, tzinfo=UTC)
    for k in range(ATTEMPTS):
        at += timedelta(seconds=chance.choice([20] * 30 + [60_000]))
        plan = plans[k // 40 % len(plans)]
        yield Attempt(
            at.isoformat(timespec="seconds"), plan, plan.title(), "R L K R " * 12, chance.choice(STAGES),
            60.0 + chance.randrange(80), chance.choice(VERDICTS), 4, 12.5, 110.0, 140.0, chance.uniform(0.5, 1.2),
            chance.choice(["right moves", "left", "feet"]), {"R": 4.0, "L": 3.5, "K": 1.0},
        )  # fmt: skip


OPEN = """
import gc, json, sys, time
from pathlib import Path
from deft_reach.app.run import make_app
from deft_reach.app import theme
app = make_app(); theme.apply(app, "light")
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.settings import Settings
from benchmarks.__main__ import yardstick
folder = Path(sys.argv[1])
window = MainWindow(settings=Settings(folder / "m.json"), keep_in=folder)
window.show_start(); window.documents.open_demo(); window.resize(1280, 800); window.show(); app.processEvents()
window.session.show_plan(sys.argv[2])
window.go("log"); app.processEvents(); window.go("kit"); app.processEvents()
gc.collect(); gc.disable()
unit = sorted(yardstick() for _ in range(9))[4]
found = []
for _ in range(5):
    # Closed, opened anew, everything read and drawn.
    window.log.close(); window.log.path = folder / "years.sqlite"
    begin = time.perf_counter()
    window.go("log"); app.processEvents()
    found.append(time.perf_counter() - begin)
    drawn = len(window.log_station.tempo.points)
    window.go("kit"); app.processEvents()
window.go("log"); app.processEvents()
pages = []
for number in (1, 2):
    begin = time.perf_counter()
    window.log_station.tabs.setCurrentIndex(number); app.processEvents()
    pages.append(time.perf_counter() - begin)
print(json.dumps([found, pages, drawn, unit]))
import os; sys.stdout.flush(); os._exit(0)
"""


def logbooks() -> dict[str, float]:
    """The Log station of the demo with 100,000 attempts: over all its plans, and all of one plan."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    found: dict[str, float] = {}
    plans = ["gangway", "moonlit", "mouth", "storm", "engine", "parade", "buoy", "lanterns"]
    for name, of in (("log_100000", plans), ("log_100000_one_plan", plans[:1])):
        with tempfile.TemporaryDirectory() as folder:
            book = Logbook(Path(folder) / "years.sqlite")
            begin = time.perf_counter()
            book.merge(list(attempts(of)))
            found[f"{name}.import_s"] = time.perf_counter() - begin
            book.close()
            done = subprocess.run(
                [sys.executable, "-c", OPEN, folder, plans[0]], env=env, capture_output=True, text=True, check=True
            )
        opened, pages, drawn, unit = json.loads(done.stdout)
        found[f"{name}.points_drawn"] = drawn
        found[f"{name}.open_ms"] = statistics.median(opened) * 1e3
        found[f"{name}.open_yardsticks"] = statistics.median(opened) / unit
        found[f"{name}.own_speed_ms"], found[f"{name}.entries_ms"] = (seconds * 1e3 for seconds in pages)
    return found
