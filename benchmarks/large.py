"""Long pieces and large documents: read, analysed, planned, and shown in the window."""

from __future__ import annotations

import io
import json
import os
import random
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import mido

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.search.planner import find_stickings
from deft_reach.formats.document import dump_document
from deft_reach.formats.midi import load_midi
from deft_reach.store.documents import open_document
from deft_reach.store.places import demo_file

NOTES = 5_000
PLANS, COMMITMENTS = 500, 1_500


def piece() -> bytes:
    """A MIDI file of 5,000 drum notes as another program writes it: grooves of eight bars, each with a fill."""
    chance = random.Random(3)
    grooves = []
    for number in range(6):
        bar = [(k / 4, 42 if number % 2 else 51, chance.choice([60, 80, 100])) for k in range(16)]
        bar += [(k, 38, 110) for k in (1, 3)] + [(k / 4, 36, 100) for k in chance.sample(range(16), 5)]
        grooves.append(bar)
    notes: list[tuple[float, int, int]] = []
    bars = 0
    while len(notes) < NOTES:
        fill = [(k / 4, chance.choice([38, 48, 45, 43]), 100) for k in range(16)]
        bar = fill if bars % 8 == 7 else grooves[bars // 8 % 6]
        notes += [(bars * 4 + beat, key, velocity) for beat, key, velocity in bar]
        bars += 1
    track, last = mido.MidiTrack(), 0
    for beat, key, velocity in sorted(notes):
        tick = round(beat * 480)
        track.append(mido.Message("note_on", channel=9, note=key, velocity=velocity, time=tick - last))
        last = tick
    out = io.BytesIO()
    mido.MidiFile(type=1, ticks_per_beat=480, tracks=[track]).save(file=out)
    return out.getvalue()


def long_pieces(unit: float) -> dict[str, float]:
    """A piece of 5,000 strokes: read, planned, analysed. ``unit`` is a yardstick in seconds."""
    kit, player = layout("five"), Player()
    begin = time.perf_counter()
    pattern = parse(load_midi(piece(), kit).text)
    read = time.perf_counter()
    found = find_stickings(pattern, kit, player, 100.0, best=1)
    planned = time.perf_counter()
    settled = parse(found.best[0].text)
    analysed = []
    for tempo in (100.0, 101.0, 102.0):
        start = time.perf_counter()
        analyse(parse(settled.text), kit, player, tempo)
        analysed.append(time.perf_counter() - start)
    seconds = {"read": read - begin, "planned": planned - read, "analysed": statistics.median(analysed)}
    rows = {f"long_5000.{name}_ms": value * 1e3 for name, value in seconds.items()}
    rows |= {f"long_5000.{name}_yardsticks": value / unit for name, value in seconds.items()}
    return {"long_5000.strokes": len(pattern.strokes), **rows}


def large_document() -> bytes:
    """A document of 500 plans and 1,500 commitments, made of the demo's."""
    document, _ = open_document(demo_file())
    plans, patterns, commitments = [], [], []
    for k in range(PLANS):
        plan = document.plans[k % len(document.plans)]
        score = document.score(plan.pattern)
        patterns.append(replace(score, id=f"s{k}", name=f"{score.name} {k}"))
        plans.append(replace(plan, id=f"p{k}", name=f"{plan.name} {k}", pattern=f"s{k}"))
    for k in range(COMMITMENTS):
        commitment = document.commitments[k % len(document.commitments)]
        commitments.append(replace(commitment, id=f"c{k}", plan=f"p{k % PLANS}"))
    return dump_document(
        replace(document, plans=tuple(plans), patterns=tuple(patterns), commitments=tuple(commitments), songs=())
    )


WINDOW = """
import json, sys, time
from pathlib import Path
from PySide6.QtCore import Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from deft_reach.app.run import make_app
from deft_reach.app import theme
app = make_app(); theme.apply(app, "light")
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.settings import Settings
from benchmarks.__main__ import FIGURE, yardstick
folder = Path(sys.argv[1])
window = MainWindow(settings=Settings(folder / "m.json"), keep_in=folder)
window.documents.open_demo(); window.resize(1280, 800); window.show()
window.go("reach"); session = window.session
for _ in range(20): app.processEvents()
unit, found = sorted(yardstick() for _ in range(9))[4], {}

def timed(name, *work):
    # How long each takes until the window shows it, and for how long the window does not answer at most.
    ticks, begin = [], time.perf_counter()
    beat = QTimer()
    beat.timeout.connect(lambda: ticks.append(time.perf_counter()))
    beat.start(5)
    for one in work:
        one()
        app.processEvents()
        while session.behind:
            app.processEvents()
        app.processEvents()
    end = time.perf_counter()
    seconds, held = (end - begin) / len(work), max(b - a for a, b in zip([begin, *ticks], [*ticks, end]))
    for what, value in (("", seconds), (".held", held)):
        found[name + what + "_ms"], found[name + what + "_yardsticks"] = value * 1e3, value / unit

for count in (5_000, 10_000):
    words = (FIGURE.split() * (count // 15 + 1))[:count]
    timed(f"long_{count}.shown", lambda: session.plans.new_plan("long", " ".join(words)))
    steps = [lambda t=t: session.plans.change_plan("Tempo", tempo=float(t)) for t in (91, 92, 93, 94)]
    timed(f"long_{count}.tempo_step", *steps)
window.go("write"); editor = window.write_station.editor
session.plans.new_plan("empty", "R L")
for _ in range(20): app.processEvents()
QApplication.clipboard().setText(("R@hh+K L@sn R@t1 L@ft> " * 4 + "| ") * 1030)
editor.setFocus(); editor.selectAll()
timed("paste_100000.shown", lambda: QTest.keyClick(editor, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier))
found["paste_100000.strokes"] = len(session.report.strokes)
session.mark_saved()
timed("large_document.opened_again", lambda: window.documents.open_path(folder / "large.reach"),
      lambda: window.documents.open_path(folder / "large.reach"))
assert len(session.document.plans) == 500
print(json.dumps(found))
import os; sys.stdout.flush(); os._exit(0)
"""


def in_the_window() -> dict[str, float]:
    """Long plans and a large document shown, a tempo step, and a paste of 100,000 characters."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "large.reach"
        file.write_bytes(large_document())
        begin = time.perf_counter()
        document, _ = open_document(file)
        opened = time.perf_counter() - begin
        written = []
        for _ in range(2):
            begin = time.perf_counter()
            dump_document(document)
            written.append(time.perf_counter() - begin)
        done = subprocess.run(
            [sys.executable, "-c", WINDOW, folder], env=env, capture_output=True, text=True, check=True, timeout=300
        )
    found: dict[str, float] = json.loads(done.stdout)
    rows = {"opened": opened, "written": written[0], "written_again": written[1]}
    return {**{f"large_document.{name}_ms": seconds * 1e3 for name, seconds in rows.items()}, **found}
