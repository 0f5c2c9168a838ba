"""A file that is opened while a window runs goes to that window: asked by a second program, as a desktop does it."""

import os
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pytest
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QMessageBox

from deft_reach.app.desktop.running_window import FileReceiver, socket_name
from deft_reach.core.document import new_document
from deft_reach.store.documents import save_document
from tests.app.conftest import in_dialog
from tests.app.test_window import press

#: Asks the window that runs, and says whether it took the file.
ASK = (
    "import sys; from pathlib import Path; from deft_reach.app.desktop.running_window import hand_over\n"
    "print(hand_over(Path(sys.argv[1])))"
)


@pytest.fixture(autouse=True)
def own_state(monkeypatch):
    """A folder with a short name: a socket's path is 107 bytes at most."""
    with tempfile.TemporaryDirectory(prefix="dr-") as folder:
        monkeypatch.setenv("XDG_STATE_HOME", folder)
        yield


@pytest.fixture
def receiver(window):
    receiver = FileReceiver(window)
    assert receiver.listen()
    yield receiver
    receiver.close()


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "tide table.reach"
    save_document(path, new_document())
    return path


def started(qapp, *arguments, cwd=None):
    """Run a second program beside this one's loop until it ends; gives its code and what it wrote."""
    root = str(Path(__file__).resolve().parents[2])
    env = {**os.environ, "PYTHONPATH": root}
    process = subprocess.Popen([sys.executable, *arguments], stdout=subprocess.PIPE, text=True, env=env, cwd=cwd)
    end = time.monotonic() + 30
    while process.poll() is None and time.monotonic() < end:
        qapp.processEvents()
        time.sleep(0.01)
    process.kill()
    for _ in range(5):
        qapp.processEvents()
    words = process.communicate()[0].strip()
    return process.returncode, words


def test_a_second_start_with_a_file_shows_it_in_the_window_that_runs(window, receiver, file, qapp):
    window.showMinimized()
    code, _ = started(qapp, "-m", "deft_reach", file.name, cwd=file.parent)
    assert code == 0, "the second program is done"
    assert window.autosave.path == file, "also by a path that is relative to where it was started"
    assert not window.isMinimized()


def test_unsaved_work_is_asked_about_before_the_file_comes(window, receiver, file, qapp):
    window.session.strokes.set_text("R L R L")
    asked = []

    def stay(box):
        asked.append(box.text())
        press(box, "Cancel")

    in_dialog(QMessageBox, stay)
    assert started(qapp, "-c", ASK, str(file)) == (0, "True")
    assert asked and window.session.text == "R L R L"


def test_a_window_that_asks_something_is_left_alone(window, receiver, file, qapp):
    box = QMessageBox(window)
    found = []

    def ask():
        found.append(started(qapp, "-c", ASK, str(file)))
        box.accept()

    QTimer.singleShot(0, ask)
    box.exec()
    assert found == [(0, "False")] and window.autosave.path is None


def test_without_a_window_the_file_is_opened_here(file, qapp):
    assert started(qapp, "-c", ASK, str(file)) == (0, "False")


def test_the_first_window_goes_on_taking_files(window, receiver):
    assert not FileReceiver(window).listen()


def test_what_a_killed_program_left_does_not_stand_in_the_way(window, file, qapp):
    serve = (
        "import os, signal; from PySide6.QtCore import QCoreApplication; from PySide6.QtNetwork import QLocalServer\n"
        "from deft_reach.app.desktop.running_window import socket_name\n"
        "app = QCoreApplication([]); server = QLocalServer(); print(server.listen(socket_name()), flush=True)\n"
        "os.kill(os.getpid(), signal.SIGKILL)"
    )
    assert started(qapp, "-c", serve) == (-signal.SIGKILL, "True")
    assert Path(socket_name()).exists()
    receiver = FileReceiver(window)
    assert receiver.listen()
    assert started(qapp, "-c", ASK, str(file)) == (0, "True")
    assert window.autosave.path == file
    assert Path(socket_name()).stat().st_mode & 0o077 == 0, "for its owner alone"
    receiver.close()
