"""The disk says no under every write: full, read-only, in the middle, interrupted. What was there stays whole."""

import errno
import io
import itertools
import os
import re
import tempfile
from contextlib import contextmanager
from operator import attrgetter
from pathlib import Path

import pytest

from deft_reach.core.document import new_document
from deft_reach.store import atomic, unwritten
from deft_reach.store.atomic import write_atomic
from deft_reach.store.autosave import Autosave, leftovers
from deft_reach.store.documents import open_document, save_document
from deft_reach.store.practice_log import PracticeLog
from deft_reach.store.settings import Settings
from tests.store.conftest import attempt

#: What a system says when it cannot write.
SAYS = {
    "full": errno.ENOSPC,
    "over quota": errno.EDQUOT,
    "read-only": errno.EROFS,
    "not allowed": errno.EACCES,
    "broken": errno.EIO,
    "too many files": errno.EMFILE,
}
#: The steps of writing a file, and where they are looked up.
STEPS = {
    "make": (tempfile, "mkstemp"),
    "open": (os, "fdopen"),
    "sync": (os, "fsync"),
    "mode": (os, "chmod"),
    "rename": (os, "replace"),
}


class Torn(io.FileIO):
    """A file that takes a few bytes at a time, and in the end no more."""

    def __init__(self, handle: int, room: float, number: int) -> None:
        super().__init__(handle, "wb")
        self.room, self.number = room, number

    def write(self, data) -> int:  # type: ignore[no-untyped-def, override]
        if self.room <= 0:
            raise OSError(self.number, os.strerror(self.number))
        part = memoryview(data)[: max(1, min(len(data) // 3, 1000))]
        self.room -= len(part)
        return super().write(part) or 0


@contextmanager
def failing(monkeypatch, step: str, number: int):
    """One step of every write fails, within ``with``."""
    module, name = STEPS[step]
    with monkeypatch.context() as patch:

        def fail(*_, **__):
            raise OSError(number, os.strerror(number), "the disk")

        patch.setattr(module, name, fail)
        yield


@contextmanager
def torn(monkeypatch, room: float, number: int = errno.ENOSPC):
    """Every write takes a few bytes at a time, and none after ``room`` of them."""
    with monkeypatch.context() as patch:
        patch.setattr(os, "fdopen", lambda handle, mode: io.BufferedWriter(Torn(handle, room, number)))
        yield


def litter(folder: Path) -> list[str]:
    return [file.name for file in folder.rglob("*.part")]


# --- the way all files are written ----------------------------------------------------------------------------------


def test_all_files_are_written_in_that_one_way():
    """What is tested here is tested for all of them."""
    other = re.compile(
        r"\.write_(bytes|text)\(|\bopen\([^)]*[\"'][wax]b?\+?[\"']|\.save\(str\(|QPdfWriter\(str|QFile\("
    )
    root = Path(atomic.__file__).parents[1]
    found = [file for file in root.rglob("*.py") if other.search(file.read_text(encoding="utf-8"))]
    # A sound is made in memory by the library of that name; that one way opens devices itself.
    assert sorted(file.name for file in found) == ["atomic.py", "wav.py"]


@pytest.mark.parametrize(("step", "says"), [*itertools.product(STEPS, SAYS)])
def test_a_step_that_fails_leaves_what_was_there(tmp_path, monkeypatch, step, says):
    file = tmp_path / "a.txt"
    file.write_bytes(b"old")
    with failing(monkeypatch, step, SAYS[says]), pytest.raises(OSError, match=re.escape(os.strerror(SAYS[says]))):
        write_atomic(file, b"new" * 10_000)
    assert file.read_bytes() == b"old" and litter(tmp_path) == []
    write_atomic(file, b"new")
    assert file.read_bytes() == b"new"


@pytest.mark.parametrize("room", [0, 1, 5_000, 29_999])
def test_a_disk_that_fills_up_in_the_middle_leaves_what_was_there(tmp_path, monkeypatch, room):
    file = tmp_path / "a.txt"
    file.write_bytes(b"old")
    with torn(monkeypatch, room), pytest.raises(OSError, match="No space left"):
        write_atomic(file, b"new" * 10_000)
    assert file.read_bytes() == b"old" and litter(tmp_path) == []


def test_short_and_interrupted_writes_are_gone_on_with(tmp_path, monkeypatch):
    with torn(monkeypatch, float("inf")):
        write_atomic(tmp_path / "a.txt", bytes(range(256)) * 300)
    assert (tmp_path / "a.txt").read_bytes() == bytes(range(256)) * 300


def test_a_folder_that_cannot_be_synchronised_is_no_reason_to_say_it_failed(tmp_path, monkeypatch):
    real = os.open

    def no_folder(path, flags, *more, **named):
        if Path(path).is_dir():
            raise PermissionError(errno.EACCES, "Permission denied", str(path))
        return real(path, flags, *more, **named)

    with monkeypatch.context() as patch:
        patch.setattr(os, "open", no_folder)
        atomic.sync_folder(tmp_path)


# --- everything that writes -----------------------------------------------------------------------------------------


class Writer:
    """Something that writes: ``write`` version k, ``read`` what is there."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def write(self, k: int) -> bool:
        raise NotImplementedError

    def read(self) -> int:
        raise NotImplementedError

    def close(self) -> None:
        pass


class Saves(Writer):
    def write(self, k):
        document = new_document()
        save_document(self.folder / "a.reach", document.with_text(document.plans[0], "R " * k))
        return True

    def read(self):
        return len(open_document(self.folder / "a.reach")[0].patterns[0].text) // 2


class Autosaves(Writer):
    def __init__(self, folder):
        super().__init__(folder)
        self.keep = Autosave(folder)

    def write(self, k):
        document = new_document()
        self.keep.keep(document.with_text(document.plans[0], "R " * k), None, None)
        return True

    def read(self):
        self.close()
        return len(leftovers(self.folder)[0].document.patterns[0].text) // 2

    def close(self):
        self.keep.close()


class SettingsFile(Writer):
    def write(self, k):
        settings = Settings(self.folder / "settings.json")
        settings.set("k", k)
        return not settings.problem

    def read(self):
        return int(Settings(self.folder / "settings.json").number("k", -1))


class Waiting(Writer):
    """Entries of practice on their way into a logbook that takes none."""

    def __init__(self, folder):
        super().__init__(folder)
        self.store = unwritten.UnwrittenEntries("book", (lambda: folder,))

    def write(self, k):
        return self.store.keep([attempt(tempo=60 + n) for n in range(k)])

    def read(self):
        self.close()
        return len(unwritten.UnwrittenEntries("book", (lambda: self.folder,)).left_behind().entries)

    def close(self):
        self.store.close()


WRITERS = {kind.__name__: kind for kind in (Saves, Autosaves, SettingsFile, Waiting)}


@pytest.mark.parametrize("name", WRITERS)
@pytest.mark.parametrize("fault", [*STEPS, "torn"])
def test_whoever_writes_says_so_and_keeps_the_last_that_was_written(tmp_path, monkeypatch, name, fault):
    writer = WRITERS[name](tmp_path)
    assert writer.write(3)
    how = torn(monkeypatch, 4) if fault == "torn" else failing(monkeypatch, fault, errno.ENOSPC)
    with how:
        try:
            done = writer.write(5)
        except OSError as error:
            done = False
            assert "No space left" in str(error)
    # What is private is made so from the beginning: nothing is left to fail there.
    assert done == (fault == "mode" and name != "Saves")
    assert litter(tmp_path) == []
    assert writer.read() == (5 if done else 3)
    again = WRITERS[name](tmp_path)
    # Practice of both runs is taken up, everything else is what was written last.
    earlier = (5 if done else 3) if name == "Waiting" else 0
    assert again.write(7) and again.read() == 7 + earlier, "it goes on where it can"


@pytest.mark.parametrize("fault", ["logbook", "both"])
def test_practice_survives_a_disk_that_is_full_for_a_while(tmp_path, monkeypatch, fault):
    log = PracticeLog(tmp_path / "book.sqlite")
    assert log.add(attempt(tempo=60))
    base = log.book.connection
    pages = base.execute("PRAGMA page_count").fetchone()[0]
    base.execute(f"PRAGMA max_page_count = {pages}")
    with torn(monkeypatch, 0 if fault == "both" else float("inf")):
        done = [log.add(attempt(tempo=61 + k, note="y" * 3000)) for k in range(12)]
    waits = done.count(False)
    assert waits > 3 and "disk is full" in log.problem and log.is_safe == (fault == "logbook")
    assert log.count() == 13, "everything is shown meanwhile"
    base.execute("PRAGMA max_page_count = 1000000")
    log.retry()
    assert not log.waiting and log.is_safe and not log.problem
    assert [row.tempo for row in log.attempts()] == [60.0 + k for k in range(13)]
    log.close()


# --- the window -----------------------------------------------------------------------------------------------------

EXPORTS = (
    ("exchange.export_plan", "x.mid"), ("exchange.export_plan", "x.musicxml"), ("exchange.export_plan", "x.csv"),
    ("exchange.export_plan", "x.txt"), ("exchange.export_plan", "x.wav"), ("exchange.export_plan", "x.pdf"),
    ("exchange.export_kit", "x.pdf"), ("exchange.export_kit", "x.svg"), ("exchange.export_kit", "x.csv"),
    ("exchange.export_kit", "x.json"), ("documents.save_as", "x.reach"),
)  # fmt: skip


@pytest.mark.parametrize(("what", "name"), EXPORTS)
@pytest.mark.parametrize("fault", ["make", "torn"])
def test_what_the_window_writes_is_whole_or_is_what_was_there(app_window, monkeypatch, tmp_path, what, name, fault):
    window, act = app_window, attrgetter(what)
    file = tmp_path / "out" / name
    file.parent.mkdir()
    file.write_bytes(b"old")
    dialog = "deft_reach.app.dialogs.save_name.QFileDialog.getSaveFileName"
    monkeypatch.setattr(dialog, lambda *a, **k: (str(file), ""))
    how = torn(monkeypatch, 10) if fault == "torn" else failing(monkeypatch, "make", errno.ENOSPC)
    with how:
        act(window)()
        words = window.notice.text.text()
        assert window.notice.isVisible() and "No space left" in words and name in words
        assert file.read_bytes() == b"old" and litter(file.parent) == []
    act(window)()
    assert len(file.read_bytes()) > 15 and litter(file.parent) == []


@pytest.fixture
def app_window(tmp_path, qtbot):
    from deft_reach.app.run import make_app
    from deft_reach.app.shell.window import MainWindow
    from deft_reach.core.session import Session

    make_app()
    (tmp_path / "kept").mkdir()
    window = MainWindow(Session(new_document()), Settings(tmp_path / "m.json"), tmp_path / "kept")
    window.session.kits.use_layout("five")
    window.session.strokes.set_text("/8 R L R L R L R L |")
    window.show()
    yield window
    window.session.mark_saved()
    window.close()
