"""Less motion: arms and playhead go from stroke to stroke, where the player or the desktop asks for it."""

import os
import shutil
import subprocess
import sys

import pytest
from PySide6.QtDBus import QDBusVariant

from deft_reach.app.desktop.motion import ASKED, wants_less
from deft_reach.app.shell.window import MainWindow
from deft_reach.store.settings import Settings
from tests.app.conftest import choose

PORTAL = """
from PySide6.QtCore import QCoreApplication
from PySide6.QtDBus import QDBusConnection, QDBusVariant, QDBusVirtualObject

class Portal(QDBusVirtualObject):
    def introspect(self, path):
        return ""
    def handleMessage(self, message, connection):
        value = {answers}[message.arguments()[1]]
        connection.send(message.createReply(QDBusVariant(value)))
        return True

app, bus, portal = QCoreApplication([]), QDBusConnection.sessionBus(), Portal()
bus.registerVirtualObject("/org/freedesktop/portal/desktop", portal)
bus.registerService("org.freedesktop.portal.Desktop")
print("ready", flush=True)
app.exec()
"""
ASK = """
import time
from PySide6.QtCore import QCoreApplication, QObject
from deft_reach.app.desktop.motion import DesktopMotion

app, told = QCoreApplication([]), []
asker = DesktopMotion(app, lambda: told.append(1))
asker.ask()
end = time.monotonic() + 10
while not told and time.monotonic() < end and asker.findChildren(QObject):
    app.processEvents()
    time.sleep(0.01)
print("less" if told else "as always")
"""


def shown(window, qapp):
    """Where the plan is shown while it is played, in steps of ten milliseconds."""
    transport, now = window.transport, [50.0]
    transport.clock = lambda: now[0]
    transport.count_in = False
    transport.timer.setInterval(10**6)
    found = []
    window.session.moved.connect(lambda: found.append(window.session.position))
    transport.start()
    for _ in range(150):
        now[0] += 0.01
        transport.timer.timeout.emit()
    transport.stop()
    return [position for position in found if position is not None]


def pick_motion(window, entry):
    view = next(a.menu() for a in window.menuBar().actions() if a.text() == "&View")
    choose(next(a.menu() for a in view.actions() if a.text().startswith("M&otion")), entry)


def test_from_stroke_to_stroke(window, qapp):
    flowing = shown(window, qapp)
    pick_motion(window, "From stroke")
    steps = shown(window, qapp)
    starts = set(window.session.report.pattern.starts)
    assert set(steps) <= starts and len(set(steps)) > 5 and len(set(flowing)) > 3 * len(set(steps))
    assert not set(flowing) <= starts
    again = MainWindow(settings=Settings(window.settings.file), keep_in=window.state_folder)
    assert again.transport.in_steps, "it is remembered"
    again.close()
    pick_motion(window, "&Flowing")
    assert not window.transport.in_steps


def test_the_desktop_is_asked_unless_the_player_chose(window, monkeypatch):
    asked = []
    monkeypatch.setattr(window._desktop_motion, "ask", lambda: asked.append(1))
    window.ask_for_motion()
    assert asked == [1]
    window._less_motion()
    assert window.transport.in_steps
    pick_motion(window, "&Flowing")
    window.ask_for_motion()
    window._less_motion()
    assert asked == [1] and not window.transport.in_steps


@pytest.mark.parametrize(
    ("value", "wanted", "less"),
    [(1, 1, True), (0, 1, False), (False, False, True), (0, False, False), (True, 1, False)],
)
def test_answers_of_the_desktop(value, wanted, less):
    assert wants_less([QDBusVariant(value)], wanted) is less
    assert not wants_less([], wanted)


@pytest.mark.parametrize(
    ("answers", "said"),
    [
        ({"reduced-motion": 1, "enable-animations": True}, "less"),
        ({"reduced-motion": 0, "enable-animations": False}, "less"),
        ({"reduced-motion": 0, "enable-animations": True}, "as always"),
    ],
)
def test_a_real_bus_with_a_desktop_on_it(tmp_path, answers, said):
    """Over a session bus of its own, answered as the portal of a desktop does."""
    if shutil.which("dbus-run-session") is None:
        pytest.skip("dbus-run-session is not installed here")
    assert {key for _, key, _ in ASKED} == set(answers)
    portal, ask = tmp_path / "portal.py", tmp_path / "ask.py"
    portal.write_text(PORTAL.replace("{answers}", repr(answers)))
    ask.write_text(ASK)
    run = tmp_path / "run.sh"
    run.write_text(
        f'coproc {sys.executable} {portal}\nread ready <&"${{COPROC[0]}}"\n{sys.executable} {ask}\nkill $COPROC_PID\n'
    )
    done = subprocess.run(
        ["dbus-run-session", "--", "bash", str(run)],
        capture_output=True, text=True, timeout=60, env={**os.environ, "PYTHONPATH": os.getcwd()},
    )  # fmt: skip
    assert done.stdout.split("\n")[0] == said, done.stderr[-400:]
