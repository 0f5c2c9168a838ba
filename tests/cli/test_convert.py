"""``deft-reach convert``, and patterns read from every kind of file."""

import json

import mido
import pytest

from deft_reach.formats.document import load_document
from deft_reach.store.places import demo_file
from tests.cli.test_verbs import run

TEXT = "/16 (R@ft> L. K R@t2) fL R@hh+K /8t R L R |\n"


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "figure.txt"
    path.write_text("meter 3/4\n" + TEXT)
    return path


def test_there_and_back_through_every_format(capsys, tmp_path, file):
    last = file
    for suffix in (".mid", ".musicxml", ".txt"):
        new = tmp_path / f"next{suffix}"
        code, out, err = run(capsys, "convert", str(last), str(new), "--tempo", "90")
        assert code == 0 and out == "" and "10 strokes at 90 BPM" in err
        last = new
    assert last.read_text() == "tempo 90\n" + file.read_text(), "the text survives to the letter, with its tempo"
    run(capsys, "convert", str(file), str(tmp_path / "s.csv"))
    code, out, _ = run(capsys, "convert", str(tmp_path / "s.csv"), str(tmp_path / "s.txt"), "--json")
    assert code == 0 and json.loads(out)["strokes"] == 10


def test_a_plan_of_a_document_goes_out_at_its_own_tempo_and_into_a_new_document(capsys, tmp_path):
    out = tmp_path / "storm.mid"
    assert run(capsys, "convert", str(demo_file()), str(out), "--plan", "storm")[0] == 0
    assert any(m.type == "set_tempo" and round(mido.tempo2bpm(m.tempo)) == 118 for m in mido.MidiFile(out).tracks[0])
    new = tmp_path / "storm.reach"
    assert run(capsys, "convert", str(demo_file()), str(new), "--plan", "storm")[0] == 0
    document = load_document(new.read_bytes())
    assert document.plans[0].name == "Storm at the breakwater" and document.kits[0].name == "Pit kit"


def test_text_straight_from_the_command_line(capsys, tmp_path):
    out = tmp_path / "a.csv"
    assert run(capsys, "convert", "-e", "R L R L", str(out))[0] == 0
    assert out.read_text().startswith(
        "index,bar,count,start,length,meter,limb,voice,marks,grace,tempo,loop,text\n"
        "0,1,1,0,1/16,4/4,R,sn,,,,no,R L R L"
    )


def test_other_verbs_read_the_same_files(capsys, tmp_path, file):
    for suffix in (".mid", ".musicxml", ".csv"):
        run(capsys, "convert", str(file), str(tmp_path / f"a{suffix}"))
        code, out, _ = run(capsys, "analyse", str(tmp_path / f"a{suffix}"), "--json")
        assert code == 0 and len(json.loads(out)["strokes"]) == 10


def foreign(path, tracks):
    file = mido.MidiFile(type=1)
    for k in range(tracks):
        notes = [mido.Message("note_on", channel=9, note=38, velocity=90, time=240) for _ in range(4 + k)]
        file.tracks.append(mido.MidiTrack([mido.MetaMessage("track_name", name=f"Part {k + 1}"), *notes]))
    file.save(path)


def test_what_a_foreign_file_leaves_open_is_said(capsys, tmp_path):
    foreign(tmp_path / "f.mid", 2)
    code, _, err = run(capsys, "convert", str(tmp_path / "f.mid"), str(tmp_path / "f.txt"))
    assert code == 0 and "hands are not in the file" in err
    assert (
        "several drum parts: 1 Part 1 (4 notes), 2 Part 2 (5 notes); read all of them as one, choose with --track"
        in err
    )
    assert "?" in (tmp_path / "f.txt").read_text()
    assert run(capsys, "convert", str(tmp_path / "f.mid"), str(tmp_path / "g.txt"), "--track", "1")[0] == 0
    assert (tmp_path / "g.txt").read_text().count("?") == 4


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (("-e", "R", "a.gong"), "'.gong' cannot be written; use .mid, .musicxml, .csv, .txt"),
        (("none.mid", "a.txt"), "none.mid: there is no such file"),
        (("broken.mid", "a.txt"), "broken.mid: this is no MIDI file"),
        (("broken.musicxml", "a.txt"), "broken.musicxml: line 1, column 1: this is no well-formed XML"),
        (("broken.csv", "a.txt"), "broken.csv: line 1, column 1: the heading lacks"),
        (("-e", "R", "no/where.mid"), "No such file"),
        (("-e", "R L", "--track", "1", "a.mid"), "--track chooses a drum part"),
        (("-e", "R (", "a.mid"), "line 1, column 3"),
        (("a.txt",), "give a pattern"),
    ],
)
def test_what_cannot_be_converted_says_why(capsys, tmp_path, monkeypatch, args, words):
    monkeypatch.chdir(tmp_path)
    for suffix in ("mid", "musicxml", "csv"):
        (tmp_path / f"broken.{suffix}").write_text("junk")
    code, out, err = run(capsys, "convert", *args)
    assert code == 2 and out == "" and words in err and "Traceback" not in err
    assert not (tmp_path / "a.txt").exists() and not (tmp_path / "a.mid").exists()
