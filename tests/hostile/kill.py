"""Windows that are worked in and killed: ``python -m tests.hostile.kill --kills 200`` says how much was lost."""

from __future__ import annotations

import argparse
import os
import signal
import subprocess
import sys
import time
from pathlib import Path
from random import Random
from tempfile import TemporaryDirectory
from typing import NamedTuple

from deft_reach.store.autosave import leftovers
from deft_reach.store.documents import open_document
from deft_reach.store.practice_log import PracticeLog
from tests.hostile.window_driver import MODES, fingerprint

#: No more than so much work (seconds) may be lost.
PROMISED = 2.0


class Kill(NamedTuple):
    """One window that was killed: how long it was worked in, how much of that was lost (seconds), and what is wrong
    with what it left behind."""

    mode: str
    seed: int
    edits: int
    worked: float
    lost: float
    wrong: str


def kill_one(mode: str, seed: int, folder: Path) -> Kill:
    """Start a window, let it be worked in, kill it, and look at what is left."""
    chance = Random(seed)
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    for name in ("STATE", "DATA", "CONFIG", "CACHE"):
        place = folder / name.lower()
        place.mkdir()
        env[f"XDG_{name}_HOME"] = str(place)
    file = folder / "show.reach"
    command = [sys.executable, "-m", "tests.hostile.window_driver", mode, str(seed), str(file)]
    with subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        lines = [process.stdout.readline()]
        time.sleep(chance.uniform(0.3, 4.5))
        ended = process.poll()
        killed = time.monotonic()
        process.send_signal(signal.SIGKILL)
        lines += process.stdout.read().splitlines()
    rows = [line.split() for line in lines if line.count(" ") == 2]
    edits = [(float(at), value) for kind, at, value in rows if kind == "edit"]
    entries = [int(value) for kind, _, value in rows if kind == "entry"]
    if not edits:
        return Kill(mode, seed, 0, 0.0, 0.0, "nothing was done")
    wrong = [] if ended is None else [f"the window ended by itself ({ended})"]
    states = {value: k for k, (_, value) in enumerate(edits)}
    found = [open_document(file)[0]]
    autosaves = folder / "state" / "deft-reach" / "autosave"
    if autosaves.is_dir():
        left = leftovers(autosaves)
        if len(left) > 1 or list(autosaves.glob("*.unreadable")):
            wrong.append(f"{len(left)} autosaves, {len(list(autosaves.glob('*.unreadable')))} unreadable")
        found += [row.document for row in left]
    kept = max((states.get(fingerprint(document), -1) for document in found), default=-1)
    if kept < 0:
        wrong.append("what was kept is none of the states there were")
    # Lost is what was done from the first edit on that was not kept.
    lost = killed - edits[kept + 1][0] if kept + 1 < len(edits) else 0.0
    if entries:
        log = PracticeLog(folder / "data" / "deft-reach" / "logbook.sqlite")
        if log.count() < entries[-1] or log.problem:
            wrong.append(f"{entries[-1]} entries were logged, {log.count()} are there {log.problem}")
        log.close()
    return Kill(mode, seed, len(edits), killed - edits[0][0], lost, "; ".join(wrong))


def kills(count: int, seed: int = 0) -> list[Kill]:
    """So many, the kinds of work in turn."""
    found = []
    for k in range(seed, seed + count):
        with TemporaryDirectory() as folder:
            found.append(kill_one(MODES[k % len(MODES)], k, Path(folder)))
    return found


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.partition(":")[0])
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--seed", type=int, default=0)
    args = parser.parse_args()
    bad = 0
    worst = dict.fromkeys(MODES, 0.0)
    for k in range(args.kills):
        (found,) = kills(1, args.seed + k)
        worst[found.mode] = max(worst[found.mode], found.lost)
        if found.wrong or found.lost > PROMISED:
            bad += 1
            print(found, flush=True)
    print(f"{args.kills} kills, {bad} with something wrong; most lost (s): {worst}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
