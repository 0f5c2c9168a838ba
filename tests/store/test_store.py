"""Files on disk: atomic saves, autosaves that survive anything, and being told when a file has changed."""

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from deft_reach.core.document import new_document
from deft_reach.formats.document import load_document
from deft_reach.formats.reading import DocumentError
from deft_reach.store import places
from deft_reach.store.atomic import ORPHANED_AFTER, write_atomic
from deft_reach.store.autosave import Autosave, discard, leftovers
from deft_reach.store.documents import ChangedOnDiskError, open_document, save_document
from deft_reach.store.settings import Settings


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
    file = tmp_path / "settings.json"
    file.write_text("{broken")
    settings = Settings(file)
    assert settings.recent == []
    show = tmp_path / "show.reach"
    show.write_text("{}")
    settings.opened(show)
    settings.opened(tmp_path / "gone.reach")
    assert Settings(file).recent == [show]


def mode(path: Path) -> int:
    return path.stat().st_mode & 0o777


@pytest.fixture
def open_umask():
    """Whoever looks after this machine lets everybody read everything."""
    old = os.umask(0o000)
    yield
    os.umask(old)


def test_what_the_app_keeps_for_itself_nobody_else_can_read(open_umask, tmp_path):
    keep, settings = Autosave(), Settings()
    keep.keep(new_document(), None, None)
    settings.set("theme", "dark")
    state = places.state_dir()
    assert [mode(folder) for folder in (state, state / "autosave", places.open_documents_dir())] == [0o700] * 3
    files = [file for file in state.rglob("*") if file.is_file()]
    assert len(files) == 3 and {mode(file) for file in files} == {0o600}
    assert mode(places.logbook_file().parent) == 0o700
    # Folders of an older version are closed when they are met again.
    state.chmod(0o755)
    assert mode(places.state_dir()) == 0o700
    # What the player saves is as open as other files of theirs.
    save_document(tmp_path / "show.reach", new_document())
    assert mode(tmp_path / "show.reach") == 0o666
    keep.close()


def test_temporary_files_of_a_run_that_was_killed_are_removed(tmp_path, folder):
    show = tmp_path / "show.reach"
    old = [tmp_path / ".show.reach.abc.part", folder / ".x.autosave.q.part", tmp_path / ".settings.json.z.part"]
    kept = [tmp_path / ".other.reach.abc.part", tmp_path / "show.reach.part", tmp_path / ".show.reach.new.part"]
    for file in old + kept:
        file.write_bytes(b"half")
    for file in [*old, *kept[:-1]]:
        os.utime(file, (time.time() - 2 * ORPHANED_AFTER,) * 2)
    save_document(show, new_document())
    assert leftovers(folder) == []
    Settings(tmp_path / "settings.json")
    assert not any(file.exists() for file in old)
    assert all(file.exists() for file in kept), "others', and one that is being written now"


def unusable(kind: str, state: Path) -> None:
    """The state folder as a file, without rights, or under a file."""
    if kind == "a file":
        (state / "deft-reach").write_text("")
    elif kind == "damaged settings":
        (state / "deft-reach").mkdir()
        (state / "deft-reach" / "settings.json").write_text(
            '{"theme": ["dark"], "text_scale": NaN, "station": {}, "last": "\\u0000", "recent": [5, "\\u0000", "'
            + "x" * 5000
            + '"], "window": "\\ud800", "panels": {"logLeft": "\\ud800"}, "validated": 3, "unit": [], "plan": 5}'
        )
    elif kind == "deep settings":
        (state / "deft-reach").mkdir()
        (state / "deft-reach" / "settings.json").write_text('{"a":' + "[" * 90_000)
    else:
        os.mkfifo(state / "deft-reach")


@pytest.mark.parametrize("kind", ["a file", "a pipe", "damaged settings", "deep settings"])
def test_settings_that_cannot_be_used_are_left_out(kind, tmp_path):
    unusable(kind, tmp_path / "xdg-state")
    settings = Settings()
    assert settings.recent == [] and settings.number("text_scale", 1.0) == 1.0
    assert settings.text("theme", "system", ("dark", "light")) == "system"
    settings.set("theme", "dark")
    assert settings.text("theme", "system") == "dark"
    assert bool(settings.problem) == (kind in ("a file", "a pipe"))


def test_an_autosave_needs_no_folder_before_it_keeps_something(tmp_path):
    unusable("a file", tmp_path / "xdg-state")
    keep = Autosave()
    with pytest.raises(OSError, match="stands where the folder"):
        keep.keep(new_document(), None, None)
    keep.clear()
    (tmp_path / "xdg-state" / "deft-reach").unlink()
    keep.keep(new_document(), None, None)
    keep.close()
    assert len(leftovers()) == 1


def test_autosaves_with_and_without_a_time_zone_are_told_apart(folder):
    for time_ in ("2026-03-01T10:00:00", "2026-03-01T12:00:00+00:00", "0001-01-01T00:00:00+14:00", "never", 5):
        keep = Autosave(folder)
        keep.keep(new_document(), None, None)
        head, _, body = keep.file.read_bytes().partition(b"\n")
        keep.file.write_bytes(json.dumps(json.loads(head) | {"time": time_}).encode() + b"\n" + body)
        keep.close()
    assert len(leftovers(folder)) == 2 and len(list(folder.glob("*.unreadable"))) == 3


def test_settings_under_their_old_name_are_taken_over(tmp_path):
    Settings(tmp_path / "memory.json").set("theme", "dark")
    settings = Settings(tmp_path / "settings.json")
    assert settings.text("theme", "system") == "dark"
    settings.set("theme", "light")
    assert Settings(tmp_path / "settings.json").text("theme", "system") == "light"
