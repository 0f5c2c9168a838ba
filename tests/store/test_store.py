"""Files on disk: atomic saves, autosaves that survive anything, and being told when a file has changed."""

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from deft_reach.core.document import new_document
from deft_reach.formats.document import load_document
from deft_reach.formats.plain_text import DocumentError
from deft_reach.store.atomic import write_atomic
from deft_reach.store.autosave import Autosave, discard, leftovers
from deft_reach.store.documents import ChangedOnDiskError, open_document, save_document
from deft_reach.store.recent import Memory


def test_save_open_save(tmp_path):
    path = tmp_path / "show.reach"
    document = new_document()
    first = save_document(path, document)
    opened, print_ = open_document(path)
    assert opened == document and print_ == first
    assert save_document(path, document.with_text(document.plans[0], "L"), print_) != first


def test_a_file_changed_by_another_program_is_not_written_over(tmp_path):
    path = tmp_path / "show.reach"
    opened = save_document(path, new_document())
    path.write_bytes(path.read_bytes() + b"\n")
    before = path.read_bytes()
    with pytest.raises(ChangedOnDiskError):
        save_document(path, new_document(), opened)
    assert path.read_bytes() == before


def test_a_failed_write_leaves_the_old_file_and_no_litter(tmp_path, monkeypatch):
    path = tmp_path / "a.reach"
    path.write_bytes(b"old")

    def fail(*_):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "replace", fail)
    with pytest.raises(OSError, match="No space"):
        write_atomic(path, b"new")
    assert path.read_bytes() == b"old" and [p.name for p in tmp_path.glob("*.part")] == []
    assert list(tmp_path.glob(".*.part")) == []


def test_links_and_permissions_stay(tmp_path):
    real, link = tmp_path / "real.reach", tmp_path / "link.reach"
    real.write_bytes(b"old")
    real.chmod(0o640)
    link.symlink_to(real)
    write_atomic(link, b"new")
    assert link.is_symlink() and real.read_bytes() == b"new" and real.stat().st_mode & 0o777 == 0o640


def test_folders_devices_and_missing_files_are_refused(tmp_path):
    with pytest.raises(DocumentError, match="not a plain file"):
        open_document(tmp_path)
    with pytest.raises(DocumentError, match="not a plain file"):
        open_document(Path("/dev/zero"))
    with pytest.raises(FileNotFoundError):
        open_document(tmp_path / "none.reach")


def test_an_autosave_belongs_to_its_owner_until_the_owner_is_gone(folder):
    keep = Autosave(folder)
    document = new_document()
    keep.keep(document, folder / "x.reach", "print")
    assert leftovers(folder) == [], "its owner is alive"
    keep.close()
    (found,) = leftovers(folder)
    assert found.document == document and found.path == folder / "x.reach" and found.opened == "print"
    discard(found)
    assert leftovers(folder) == [] and list(folder.iterdir()) == []


def test_nothing_is_left_when_all_was_saved(folder):
    keep = Autosave(folder)
    keep.keep(new_document(), None, None)
    keep.clear()
    keep.close()
    assert list(folder.iterdir()) == []


def test_a_damaged_autosave_is_set_aside_and_the_others_are_offered(tmp_path):
    for _ in range(2):
        keep = Autosave(tmp_path)
        keep.keep(new_document(), None, None)
        keep.close()
    first = sorted(tmp_path.glob("*.autosave"))[0]
    first.write_bytes(first.read_bytes()[:300])
    assert len(leftovers(tmp_path)) == 1
    assert len(list(tmp_path.glob("*.unreadable"))) == 1


WRITER = """
import sys, pathlib
from deft_reach.core.document import new_document
from deft_reach.store.autosave import Autosave
from deft_reach.store.documents import save_document
folder = pathlib.Path(sys.argv[1])
keep = Autosave(folder)
document, k = new_document(), 0
while True:
    k += 1
    now = document.with_text(document.plans[0], "R L " * (k % 900 + 1) + f"# {k}")
    keep.keep(now, folder / "show.reach", None)
    save_document(folder / "show.reach", now)
    print(k, flush=True)
"""


@pytest.fixture
def folder(tmp_path):
    path = tmp_path / "kept"
    path.mkdir()
    return path


def last_number(text: str) -> int:
    return int(text.rsplit("# ", 1)[1])


@pytest.mark.parametrize("after", [0.05, 0.11, 0.17, 0.26, 0.4])
def test_kill_minus_nine_while_saving_leaves_whole_files(tmp_path, after):
    """As with a power loss: whatever was reported as written is there, and both files are whole."""
    process = subprocess.Popen([sys.executable, "-c", WRITER, str(tmp_path)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    process.stdout.readline()
    time.sleep(after)
    process.send_signal(signal.SIGKILL)
    said = [int(line) for line in process.stdout.read().split()]
    process.wait()
    reported = said[-1] if said else 1
    saved = load_document((tmp_path / "show.reach").read_bytes())
    (kept,) = leftovers(tmp_path)
    assert last_number(saved.patterns[0].text) >= reported
    assert last_number(kept.document.patterns[0].text) >= reported


def test_memory_forgets_rather_than_fails(tmp_path):
    file = tmp_path / "memory.json"
    file.write_text("{broken")
    memory = Memory(file)
    assert memory.recent == []
    show = tmp_path / "show.reach"
    show.write_text("{}")
    memory.opened(show)
    memory.opened(tmp_path / "gone.reach")
    assert Memory(file).recent == [show]
