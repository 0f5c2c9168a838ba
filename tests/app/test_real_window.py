"""The program as a user starts it: a real window on a virtual screen, real keys, and kill -9."""

import itertools
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest

from deft_reach.core.document import new_document
from deft_reach.store.autosave import DELAY, leftovers
from deft_reach.store.documents import save_document
from tests.machine import slowness

pytestmark = pytest.mark.skipif(
    not (shutil.which("Xvfb") and shutil.which("xdotool")), reason="needs Xvfb and xdotool, see setup.sh --test"
)


_numbers = itertools.count(200 + os.getpid() % 14_000 * 4)


@pytest.fixture
def screen():
    """A virtual screen; gives the environment for programs on it.

    Every server has a number of its own, made from the process's, because tests run side by side.
    """
    number = next(n for n in _numbers if not Path(f"/tmp/.X11-unix/X{n}").exists())
    # Without -noreset the server starts anew whenever its last client goes, and the next one may find it away.
    command = ["Xvfb", f":{number}", "-screen", "0", "1400x900x24", "-nolisten", "tcp", "-noreset"]
    server = subprocess.Popen(command, stderr=subprocess.DEVNULL)
    env = {**os.environ, "DISPLAY": f":{number}", "QT_QPA_PLATFORM": "xcb"}
    end = time.monotonic() + 60
    while subprocess.run(["xdotool", "getdisplaygeometry"], env=env, capture_output=True).returncode:
        assert server.poll() is None and time.monotonic() < end, "the virtual screen did not start"
        time.sleep(0.05)
    yield env
    server.terminate()
    server.wait()


class Program:
    """The running app and the hands on its keyboard and mouse."""

    def __init__(self, env: dict[str, str], *args: str) -> None:
        self.env = env
        self.process = subprocess.Popen([sys.executable, "-m", "deft_reach", *args], env=env)
        self.window = self.wait(lambda: self.tool("search", "--onlyvisible", "--name", "Deft Reach"), 90)
        self.tool("windowfocus", "--sync", self.window.split()[0])

    def tool(self, *args: str) -> str:
        done = subprocess.run(["xdotool", *args], env=self.env, capture_output=True, text=True, timeout=90)
        return done.stdout.strip()

    def wait(self, ready, seconds: float):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            assert self.process.poll() is None, "the program has ended"
            if found := ready():
                return found
            time.sleep(0.05)
        raise AssertionError(f"nothing within {seconds} s")

    def worked(self) -> float:
        """Seconds of processor time so far."""
        fields = Path(f"/proc/{self.process.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def rest(self) -> None:
        """Wait until it has nothing to do any more, which on a busy machine may take a while."""
        before = -1.0
        while (now := self.worked()) > before + 0.02:
            before = now
            time.sleep(0.5)

    def keys(self, *keys: str) -> None:
        self.tool("key", "--delay", "30", *keys)

    def type(self, text: str) -> None:
        self.tool("type", "--delay", "15", text)

    def click(self, x: int, y: int) -> None:
        self.tool("mousemove", "--window", self.window.split()[0], str(x), str(y), "click", "1")

    def kill(self) -> None:
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()


def kept() -> Path:
    folder = Path(os.environ["XDG_STATE_HOME"]) / "deft-reach" / "autosave"
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def autosaved_text() -> str:
    found = [f.read_text() for f in kept().glob("*.autosave")]
    return found[0] if found else ""


def test_typed_work_survives_kill_minus_nine(screen):
    program = Program(screen, "--demo")
    try:
        program.rest()
        program.keys("ctrl+2")
        program.keys("ctrl+a")
        program.type("R L R R L R L L K")
        # On disk a second after the last key; how long a busy machine takes to hand the keys over is not ours.
        assert DELAY <= 1.0
        program.wait(lambda: "R L R R L R L L K" in autosaved_text(), 60)
        program.keys("ctrl+Up", "ctrl+Up")
        program.wait(lambda: '"tempo": 106' in autosaved_text(), 60)
    finally:
        program.kill()
    (left,) = leftovers(kept())
    assert left.document.score("score-gangway").text == "R L R R L R L L K"
    assert left.document.plan("gangway").tempo == 106


def test_the_window_is_usable_within_seconds_and_a_click_reaches_it(screen):
    program = Program(screen, "--demo")
    try:
        assert program.worked() < 10 * slowness(), "seconds of processor time"
        program.rest()
        program.click(40, 74)
        program.rest()
        program.keys("ctrl+Down")
        program.wait(lambda: '"tempo": 103' in autosaved_text(), 60)
    finally:
        program.kill()
    assert not [f for f in kept().iterdir() if f.suffix == ".unreadable"]


def test_a_second_start_with_a_file_ends_and_the_first_shows_it(screen, tmp_path):
    file = tmp_path / "tide table.reach"
    save_document(file, new_document())
    # A folder with a short name: a socket's path is 107 bytes at most.
    short = tempfile.TemporaryDirectory(prefix="dr-")
    env = {**screen, "XDG_STATE_HOME": short.name}
    program = Program(env, "--demo")
    try:
        start = [sys.executable, "-m", "deft_reach", str(file)]
        # The first window listens a moment after it stands.
        program.rest()
        assert subprocess.run(start, env=env, timeout=120).returncode == 0
        program.wait(lambda: program.tool("search", "--onlyvisible", "--name", "tide table"), 60)
    finally:
        program.kill()
        short.cleanup()
