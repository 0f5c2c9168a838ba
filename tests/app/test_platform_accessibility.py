"""The Reach station as a screen reader gets it: over the desktop's own accessibility bus, by a process of its own."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

LAUNCHER = Path("/usr/libexec/at-spi-bus-launcher")
APP = """
import sys
from pathlib import Path
from PySide6.QtCore import QTimer, Qt
from PySide6.QtTest import QTest
from deft_reach.app import theme
from deft_reach.app.run import make_app

app = make_app()
theme.apply(app, "light")
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.settings import Settings

folder = Path(sys.argv[1])
window = MainWindow(settings=Settings(folder / "m.json"), keep_in=folder)
window.documents.open_demo()
window.session.show_plan("storm")
window.show()
window.go("reach")
window.reach_station.tabs.setCurrentIndex(1)
weave = window.reach_station.weave

def choose():
    weave.setFocus()
    QTest.keyClick(weave, Qt.Key.Key_Home)
    print(weave.chosen_in_words(), flush=True)

QTimer.singleShot(500, choose)
QTimer.singleShot(90_000, app.quit)
# Whoever reads is done when the other end of the pipe says so.
import threading
threading.Thread(target=lambda: (sys.stdin.read(), QTimer.singleShot(0, app, app.quit)), daemon=True).start()
sys.exit(app.exec())
"""
READ = """
import sys, time
from pathlib import Path
import pyatspi

def below(node, depth=0):
    yield node
    for k in range(node.childCount if depth < 30 else 0):
        child = node.getChildAtIndex(k)
        if child is not None:
            yield from below(child, depth + 1)

said, end, rows = Path(sys.argv[1]), time.monotonic() + 60, []
while time.monotonic() < end:
    # Not before the stroke is chosen.
    words = said.read_text().strip() if said.exists() else ""
    if not words:
        time.sleep(0.2)
        continue
    rows = [(n.getRoleName(), n.name or "", n.parent.name or "") for app in pyatspi.Registry.getDesktop(0)
            if app.name == "Deft Reach" for n in below(app)]
    if any(role == "list item" and parent.startswith("Weave") and name == words for role, name, parent in rows):
        break
    time.sleep(0.5)
for row in rows:
    print("\\t".join(row))
"""
RUN = """
{launcher} --launch-immediately & bus=$!
sleep 1
mkfifo {folder}/end
{python} {folder}/app.py {folder} < {folder}/end > {folder}/said & app=$!
exec 9> {folder}/end
/usr/bin/python3 {folder}/read.py {folder}/said
exec 9>&-
wait $app; echo "exit $?"
kill $bus
"""


def test_over_the_bus_of_the_desktop(tmp_path):
    missing = [tool for tool in ("xvfb-run", "dbus-run-session") if shutil.which(tool) is None]
    reader = Path("/usr/bin/python3")
    if missing or not LAUNCHER.exists() or not reader.exists():
        pytest.skip("no virtual screen or no accessibility bus is installed here")
    if subprocess.run([str(reader), "-c", "import pyatspi"], capture_output=True).returncode:
        pytest.skip("pyatspi is not installed here")
    (tmp_path / "app.py").write_text(APP)
    (tmp_path / "read.py").write_text(READ)
    (tmp_path / "run.sh").write_text(RUN.format(launcher=LAUNCHER, folder=tmp_path, python=sys.executable))
    env = {**os.environ, "PYTHONPATH": os.getcwd(), "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1", "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        ["xvfb-run", "-a", "dbus-run-session", "--", "bash", str(tmp_path / "run.sh")],
        capture_output=True, text=True, timeout=150, env=env,
    )  # fmt: skip
    lines = done.stdout.splitlines()
    rows = [tuple(line.split("\t")) for line in lines if line.count("\t") == 2]
    said = (tmp_path / "said").read_text().strip()
    assert "right hand on the floor tom" in said, done.stderr[-600:]
    assert any(role == "list item" and name == said and parent.startswith("Weave") for role, name, parent in rows)
    assert {"image", "table", "push button", "list"} <= {role for role, _, _ in rows}
    assert lines[-1] == "exit 0", "and nothing is deleted twice at the end"
