"""Measures the budgets of the design in one run.

Absolute times depend on the machine, so each comes with a ratio to a fixed piece of work of the interpreter, done in
the same run. Nothing here passes or fails.
"""

from __future__ import annotations

import argparse
import gc
import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable

from benchmarks.large import in_the_window, long_pieces
from benchmarks.planning import planning
from benchmarks.practice import logbooks, takes
from deft_reach.core import Player, analyse, layout, parse

FIGURE = "R@hh L K R@t2 L@t1 K R. L. R@c2>+K L. R@ft K L@t1 R@t2 R> L"


def yardstick() -> float:
    """Seconds for a fixed piece of interpreter work: 100,000 steps of arithmetic and dictionary look-ups."""
    table = {k: k * 0.5 for k in range(64)}
    start = time.perf_counter()
    total = 0.0
    for k in range(100_000):
        total += table[k & 63] * 1.0001
    return time.perf_counter() - start


def times(run: Callable[[int], object], rounds: int) -> list[float]:
    found = []
    for k in range(rounds):
        start = time.perf_counter()
        run(k)
        found.append(time.perf_counter() - start)
    return sorted(found)


def analysis() -> dict[str, float]:
    """256 strokes while a drum is dragged, so that nothing is kept from one frame to the next; and growth."""
    words = FIGURE.split()
    text = " ".join((words * 16)[:241])
    pattern, kit, player = parse(text), layout("five"), Player()
    tom = kit.piece("ft")
    assert tom is not None

    def frame(k: int) -> None:
        moved = kit.with_piece(tom.moved(tom.x + k * 0.25, tom.y))
        analyse(pattern, moved, player, 100, repeat=True)

    times(frame, 20)
    found = times(frame, 300)
    unit = statistics.median(yardstick() for _ in range(9))
    big = {}
    for count in (1000, 10_000):
        long = parse(" ".join(words * (count // len(words) + 1)))
        took = times(lambda _, long=long: analyse(long, kit, player, 100), 3)[0]  # type: ignore[misc]
        big[count] = took / len(long.strokes) * count
    return {
        "analyse_256.strokes": len(pattern.strokes),
        "analyse_256.p50_ms": found[150] * 1e3,
        "analyse_256.p95_ms": found[285] * 1e3,
        "analyse_256.p95_yardsticks": found[285] / unit,
        "analyse_10000.ms": big[10_000] * 1e3,
        "analyse_10000.growth": big[10_000] / big[1000] / 10,
    }


def layouts() -> dict[str, float]:
    """Where two pieces could stand, for four plans of 64 strokes together."""
    from deft_reach.core.search.joined_walk import Asked
    from deft_reach.core.search.layout_search import find_layouts

    figures = (
        "R@ft L@sn R@t1 L@hh", "R@hh L@sn R@t2 L@t1 R@ft L@ft R@rd L@c1", "R@rd+K L@sn R@rd L@t1 R L K",
        "R L R@ft R@t2 L L@t1 R@c2 K",
    )  # fmt: skip
    plans = []
    for k, figure in enumerate(figures):
        words = figure.split()
        text = " ".join((words * 64)[:64])
        plans.append(Asked(f"plan {k}", parse(text), 100 + 10 * k, repeat=k % 2 == 0))
    find_layouts(plans, layout("five"), Player(), ["ft"], budget=50)
    begin = time.perf_counter()
    found = find_layouts(plans, layout("five"), Player(), ["ft", "t1", "rd"], within=100)
    seconds = time.perf_counter() - begin
    unit = statistics.median(yardstick() for _ in range(5))
    return {
        "layout.evaluated": found.evaluated,
        "layout.per_second": found.evaluated / seconds,
        "layout.per_yardstick": found.evaluated / seconds * unit,
        "layout.gain": 1 - found.best[0].cost_after / found.best[0].cost_before,
    }


def songs() -> dict[str, float]:
    """A song of 64 bars with a fill in every eighth, analysed anew after every edit of the fill."""
    from deft_reach.core.document import Document, Plan, Score, Section, Song
    from deft_reach.core.song import analyse_song

    groove = "/16 R@hh+K - R@hh L. R@hh+L> L. R@hh K R@hh+K L. R@hh K R@hh+L> L. R@hh - |"
    fill = f"/16 {FIGURE} |"
    kit, player = layout("five"), Player()
    document = Document(
        players=(player,), kits=(kit,), patterns=(Score("g", "g", groove), Score("f", "f", fill)),
        plans=tuple(Plan(id, id, id, kit.id, player.id, 110.0, id == "g") for id in "gf"),
        songs=(Song("song", "song", (Section("g", 7), Section("f", 1)) * 8),),
    )  # fmt: skip
    plan, song = document.plan("f"), document.songs[0]
    edits = [document.with_text(plan, fill), document.with_text(plan, fill.replace("@c2", "@rd"))]
    times(lambda k: analyse_song(edits[k % 2], song), 4)
    # As in the window, where the collector waits until nothing else is to be done.
    gc.collect()
    gc.disable()
    found = times(lambda k: analyse_song(edits[k % 2], song), 40)
    gc.enable()
    report = analyse_song(edits[0], song).report
    assert report is not None
    unit = statistics.median(yardstick() for _ in range(5))
    return {
        "song_64_bars.strokes": len(report.strokes),
        "song_64_bars.p50_ms": found[20] * 1e3,
        "song_64_bars.p95_ms": found[38] * 1e3,
        "song_64_bars.p95_yardsticks": found[38] / unit,
    }


def imports() -> dict[str, float]:
    """A foreign MIDI file of 10,000 notes: read, its grid found, its text written."""
    import io

    import mido

    from deft_reach.formats.midi import load_midi

    track = mido.MidiTrack()
    for k in range(10_000):
        key = 38 if k % 3 else 42
        track.append(mido.Message("note_on", channel=9, note=key, velocity=80, time=120 if k else 0))
    out = io.BytesIO()
    mido.MidiFile(type=1, tracks=[track]).save(file=out)
    found = times(lambda _: load_midi(out.getvalue(), layout("five")), 3)
    unit = statistics.median(yardstick() for _ in range(5))
    return {"import_10000.ms": found[0] * 1e3, "import_10000.yardsticks": found[0] / unit}


START = """
import time; begin = time.perf_counter()
from pathlib import Path
import sys, resource
from deft_reach.app.run import make_app
from deft_reach.app import theme
app = make_app(); theme.apply(app, "light")
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.settings import Settings
folder = Path(sys.argv[1])
window = MainWindow(settings=Settings(folder / "m.json"), keep_in=folder)
window.show_start(); window.documents.open_demo(); window.show(); app.processEvents()
print(time.perf_counter() - begin)
for plan in window.session.document.plans:
    window.session.show_plan(plan.id)
    for station in ("kit", "write", "voice", "reach", "song", "climb", "log"):
        window.go(station); app.processEvents(); window.grab()
pages = int(open("/proc/self/statm").read().split()[1])
print(pages * resource.getpagesize() / 2**20)
import os; sys.stdout.flush(); os._exit(0)
"""


def start() -> dict[str, float]:
    """From nothing to a drawn window on the demo, in a process of its own; then memory with everything visited."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    seconds, settings = [], 0.0
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(6):
            done = subprocess.run(
                [sys.executable, "-c", START, folder], env=env, capture_output=True, text=True, check=True
            )
            inside, settings = (float(line) for line in done.stdout.split())
            seconds.append(inside)
    bare = []
    for _ in range(4):
        begin = time.perf_counter()
        subprocess.run([sys.executable, "-c", "from PySide6 import QtWidgets"], check=True)
        bare.append(time.perf_counter() - begin)
    return {
        "start.first_s": seconds[0],
        "start.warm_s": min(seconds[1:]),
        "start.times_bare_qt": min(seconds[1:]) / min(bare),
        "memory_mb": settings,
    }


DRAG = """
import json, sys, time
from pathlib import Path
from PySide6.QtCore import QEventLoop, QPoint, Qt, QTimer
from PySide6.QtTest import QTest
from deft_reach.app.run import make_app
from deft_reach.app import theme
app = make_app(); theme.apply(app, "light")
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.documents import open_document
from deft_reach.store.places import demo_file
from deft_reach.store.settings import Settings
from benchmarks.__main__ import FIGURE, yardstick
folder = Path(sys.argv[1])
window = MainWindow(settings=Settings(folder / "m.json"), keep_in=folder)
document, _ = open_document(demo_file())
window.documents.take(document, None, None, clean=True); window.resize(1280, 800); window.show()
window.session.plans.new_plan("256 strokes", " ".join((FIGURE.split() * 16)[:241]))
window.session.plans.change_plan("hall", kit="hall")
found = {"drag.strokes": len(window.session.report.strokes)}
unit = sorted(yardstick() for _ in range(9))[4]
for station in ("kit", "reach"):
    window.go(station)
    for _ in range(20): app.processEvents()
    plan = getattr(window, station + "_station").plan
    tom, times = window.session.kit.piece("ft"), []
    at = plan.to_px(*tom.body).toPoint()
    QTest.mousePress(plan, Qt.MouseButton.LeftButton, pos=at)
    for k in range(240):
        begin = time.perf_counter()
        # Nothing is kept from one frame to the next: every place is a new one.
        QTest.mouseMove(plan, at + QPoint(1 + k % 16, 1 + k // 16))
        app.processEvents()
        times.append(time.perf_counter() - begin)
    assert window.session.kit.piece("ft") != tom
    QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=at + QPoint(16, 15))
    times, unit = sorted(times[40:]), (unit + sorted(yardstick() for _ in range(9))[4]) / 2
    name = "drag" if station == "kit" else "drag_reach"
    found[name + ".p50_ms"], found[name + ".p95_ms"] = times[100] * 1e3, times[190] * 1e3
    found[name + ".p95_yardsticks"] = times[190] / unit
# What playing takes of one core, without sound.
window.session.plans.new_plan("a loop", FIGURE, tempo=100, repeat=True)
for station in ("kit", "reach"):
    window.go(station)
    for _ in range(20): app.processEvents()
    window.transport.start()
    until = time.perf_counter() + 1
    while time.perf_counter() < until: app.processEvents(); time.sleep(0.002)
    begin, used = time.perf_counter(), time.process_time()
    loop = QEventLoop(); QTimer.singleShot(4000, loop.quit); loop.exec()
    found["playing_" + station + ".share_of_a_core"] = (time.process_time() - used) / (time.perf_counter() - begin)
    assert window.transport.playing
    window.transport.stop()
window.session.plans.new_plan("64 bars", (FIGURE + " | ") * 64)
window.go("write"); lane = window.write_station.lane; lane.setFocus(); lane.lane.go(400)
for _ in range(20): app.processEvents()
unit = sorted(yardstick() for _ in range(9))[4]
# Keys at twelve a second, and keys after a rest in which everything has caught up.
for name, pause, count in (("key_64_bars", 0.08, 60), ("key_64_bars_rested", 0.6, 20)):
    times = []
    for k in range(count):
        begin = time.perf_counter()
        QTest.keyClick(lane, Qt.Key.Key_R if k % 2 else Qt.Key.Key_L)
        lane.repaint()
        times.append(time.perf_counter() - begin)
        until = time.perf_counter() + pause
        while time.perf_counter() < until: app.processEvents(); time.sleep(0.005)
    times = sorted(times[count // 6:])
    found[name + ".p50_ms"] = times[len(times) // 2] * 1e3
    found[name + ".p95_ms"] = times[int(len(times) * 0.95)] * 1e3
    found[name + ".p95_yardsticks"] = times[int(len(times) * 0.95)] / unit
found["key_64_bars.strokes"] = len(window.session.report.strokes)
print(json.dumps(found))
import os; sys.stdout.flush(); os._exit(0)
"""


def drag() -> dict[str, float]:
    """A drum dragged with 256 strokes open: analysis and repaint of the whole window, a new place every frame; and
    a key typed into 64 bars, until the lane shows it."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with tempfile.TemporaryDirectory() as folder:
        done = subprocess.run(
            [sys.executable, "-c", DRAG, folder], env=env, capture_output=True, text=True, check=True
        )
    found: dict[str, float] = json.loads(done.stdout)
    return found


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m benchmarks", description=__doc__)
    parser.add_argument("--json", action="store_true", help="print one JSON object")
    args = parser.parse_args()
    unit = statistics.median(yardstick() for _ in range(9))
    found = {**analysis(), **planning(unit), **layouts(), **songs(), **imports(), **takes(unit, FIGURE), **logbooks()}
    found |= {**long_pieces(unit), **drag(), **in_the_window(), **start()}
    if args.json:
        print(json.dumps(found))
    else:
        for key, value in found.items():
            print(f"{key:28}{value:10.3f}")


if __name__ == "__main__":
    main()
