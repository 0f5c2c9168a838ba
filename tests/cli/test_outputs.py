"""What is written: nothing is replaced that should not be, and an answer that cannot be written is an error of its
own.
"""

import json
import os
import subprocess
import sys
from pathlib import Path

import mido
import pytest

from deft_reach.core import Player, layout
from deft_reach.formats.document import dump_kit, dump_player, load_document
from deft_reach.formats.kinds import EMPTY, kind_of
from deft_reach.store.places import demo_file
from tests.cli.test_verbs import run

GROOVE = "/8 R@hh+K R@hh R@hh+L R@hh |"
#: Every verb that writes a file, with what it needs beside the name of the file.
WRITERS = {
    "convert": lambda out: ("convert", "-e", GROOVE, out),
    "perform": lambda out: ("perform", "-e", GROOVE, out),
    "perform --hands": lambda out: ("perform", "--hands", out),
    "hands": lambda out: ("hands", "test.mid", "--out", out),
    "kit mirror": lambda out: ("kit", "mirror", "five", "--out", out),
    "kit measure": lambda out: ("kit", "measure", "tape.csv", "--out", out),
    "shot": lambda out: ("shot", "--view", "start", "--size", "640x480", "--out", out),
}
#: What their files end in.
ENDINGS = {"convert": ".mid", "perform": ".mid", "perform --hands": ".mid", "shot": ".png"}


@pytest.fixture
def folder(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "tape.csv").write_text("sn,seat,461\nsn,floor,650\nseat,floor,520\n")
    assert run(capsys, "perform", "--hands", "test.mid")[0] == 0
    return tmp_path


def name_for(writer):
    return f"file{ENDINGS.get(writer, '.json')}"


def document():
    return demo_file().read_bytes()


def score(path):
    mido.MidiFile(type=1).save(path)


@pytest.mark.parametrize("writer", WRITERS)
@pytest.mark.parametrize(
    ("there", "words"),
    [
        ("a document", "it is a document"),
        ("a letter", "it holds something else"),
        ("read-only", "it is read-only"),
        ("hard link", "another name"),
        ("a pipe", "it is a pipe; --out - is standard output"),
        ("a folder", "it is a folder"),
        ("a folder that is missing", "does not exist"),
    ],
)
def test_nothing_is_replaced_that_should_not_be(folder, capsys, writer, there, words):
    path = folder / name_for(writer)
    before = b"Dear Ada, the boat leaves at nine.\n"
    if there == "a document":
        before = document()
    if there in ("read-only", "hard link"):
        assert run(capsys, *WRITERS[writer](str(path)))[0] == 0, "a new file is written"
        before = path.read_bytes()
    if there == "a pipe":
        os.mkfifo(path)
    elif there == "a folder":
        path.mkdir()
    elif there == "a folder that is missing":
        path = folder / "no" / path.name
    else:
        path.write_bytes(before)
        if there == "read-only":
            path.chmod(0o444)
        elif there == "hard link":
            os.link(path, folder / "other name")
    code, out, err = run(capsys, *WRITERS[writer](str(path)))
    assert code == 2 and out == "" and words in err and err.count("\n") == 1
    if there in ("a pipe", "a folder"):
        assert not path.is_file()
        assert run(capsys, *WRITERS[writer](str(path)), "--force")[0] == 2, "never, by force neither"
    elif path.exists():
        assert path.read_bytes() == before
        if there == "hard link":
            assert (folder / "other name").samefile(path)
        assert run(capsys, *WRITERS[writer](str(path)), "--force")[0] == 0
        assert kind_of(path.read_bytes()) != EMPTY and (
            there in ("read-only", "hard link") or path.read_bytes() != before
        )


@pytest.mark.parametrize("writer", WRITERS)
def test_a_file_of_the_same_kind_or_an_empty_one_is_replaced(folder, capsys, writer):
    path = folder / name_for(writer)
    path.write_bytes(b"")
    assert run(capsys, *WRITERS[writer](str(path)))[0] == 0 and path.stat().st_size
    assert run(capsys, *WRITERS[writer](str(path)))[0] == 0


@pytest.mark.parametrize("writer", WRITERS)
def test_a_device_is_written_to_as_it_is_and_a_full_one_is_an_error_of_its_own(folder, capsys, writer):
    code, _, _ = run(capsys, *WRITERS[writer]("/dev/null"))
    assert code == 0 and Path("/dev/null").is_char_device()
    code, _, err = run(capsys, *WRITERS[writer]("/dev/full"))
    assert code == 3 and "/dev/full cannot be written: No space left on device" in err and "Traceback" not in err


@pytest.mark.parametrize("writer", WRITERS)
def test_standard_output_is_a_file_too(folder, writer):
    def ask(out):
        command = [sys.executable, "-m", "deft_reach", *WRITERS[writer](out)]
        return subprocess.run(command, capture_output=True, cwd=folder)

    path = folder / name_for(writer)
    file, done = ask(str(path)), ask("-")
    assert file.returncode == done.returncode == 0
    if writer == "convert":
        assert done.stdout.decode() == GROOVE + "\n"
    else:
        assert kind_of(done.stdout) == kind_of(path.read_bytes()) and (
            writer == "shot" or done.stdout == path.read_bytes()
        )
    assert ask("-").stdout == done.stdout or writer == "shot"
    command = [sys.executable, "-m", "deft_reach", *WRITERS[writer]("-"), "--json"]
    both = subprocess.run(command, capture_output=True, text=True, cwd=folder)
    assert both.returncode == 2 and "--json does not go with a file on standard output" in both.stderr


def test_a_show_is_not_replaced_by_one_figure(folder, capsys):
    show, text = folder / "show.reach", folder / "t.txt"
    show.write_bytes(document())
    text.write_text("R L R L\n")
    code, _, err = run(capsys, "convert", "t.txt", "show.reach")
    assert code == 2 and "it is a document, with everything in it; --force replaces it" in err
    assert show.read_bytes() == document()
    assert run(capsys, "convert", "t.txt", "show.reach", "--force")[0] == 0
    assert [plan.name for plan in load_document(show.read_bytes()).plans] == ["t"]


def test_kinds_of_files_are_told_by_what_is_in_them(folder, capsys):
    run(capsys, "convert", "-e", GROOVE, "a.mid")
    kinds = {"a.mid": "a MIDI file"}
    for name, kind in (
        ("a.musicxml", "a MusicXML score"), ("a.csv", "a table of strokes"), ("a.txt", "stroke text"),
        ("a.wav", "a sound"), ("a.reach", "a document"),
    ):  # fmt: skip
        assert run(capsys, "convert", "-e", GROOVE, name)[0] == 0
        kinds[name] = kind
    (folder / "kit.json").write_bytes(dump_kit(layout("five")))
    (folder / "me.json").write_bytes(dump_player(Player()))
    (folder / "letter.txt").write_text("Real letters, and some more.")
    (folder / "x.json").write_text('{"deep": ' + "[" * 2000 + "]" * 2000 + "}")
    (folder / "bytes").write_bytes(b"\xff\xfe\x00")
    kinds |= {"kit.json": "a kit", "me.json": "a player", "letter.txt": "something else", "x.json": "something else",
              "bytes": "something else"}  # fmt: skip
    assert {name: kind_of((folder / name).read_bytes()) for name in kinds} == kinds


# --- standard output ------------------------------------------------------------------------------------------------

ANSWERS = [
    ("analyse", "-e", "R L R L"), ("analyse", "-e", "R L R L", "--json"), ("plan", "-e", "? ? ? ?"), ("schema",),
    ("kit", "list"), ("kit", "show", "five", "--json"), ("--help",), ("plan", "--help"), ("--version",),
]  # fmt: skip


def shell(command, **more):
    return subprocess.run(["bash", "-c", command], capture_output=True, text=True, **more)


@pytest.mark.parametrize("args", ANSWERS, ids=" ".join)
@pytest.mark.parametrize("where", ["> /dev/full", ">&-"])
def test_an_answer_that_cannot_be_written_is_an_error_of_its_own(args, where):
    words = " ".join(f"'{word}'" for word in args)
    done = shell(f"{sys.executable} -m deft_reach {words} {where}")
    assert done.returncode == 3, done.stderr
    assert done.stderr.startswith("deft-reach: the answer cannot be written to standard output: ")
    assert done.stderr.count("\n") == 1


def test_no_stays_no_where_the_answer_can_be_written():
    done = shell(f"{sys.executable} -m deft_reach analyse -e 'R@sn+R@hh' --json 2>&-")
    assert done.returncode == 1 and json.loads(done.stdout)["findings"]


def test_a_complaint_that_nobody_hears_is_one_all_the_same():
    for where in ("2>&-", "2> /dev/full"):
        done = shell(f"{sys.executable} -m deft_reach analyse -e 'R Q' {where}")
        assert done.returncode == 2 and done.stdout == ""


@pytest.mark.parametrize("args", ["schema", "kit show five --json", "plan -e '? ? ? ?' --json"])
def test_a_reader_that_leaves_early_ends_it_quietly(args):
    done = shell(f"{sys.executable} -m deft_reach {args} | true; echo ${{PIPESTATUS[0]}}")
    assert done.stdout == "141\n" and done.stderr == ""
