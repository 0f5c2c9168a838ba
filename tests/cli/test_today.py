"""``deft-reach today`` as it is called: from its own logbook, from an exported one, and with what cannot be read."""

import json
from datetime import date, datetime, timedelta

import pytest

from deft_reach.cli.main import main
from deft_reach.store.documents import open_document, save_document
from deft_reach.store.log_entries import Attempt
from deft_reach.store.logbook import Logbook
from deft_reach.store.places import demo_file, demo_log_file, logbook_file


@pytest.fixture(autouse=True)
def own_data(tmp_path, monkeypatch):
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))


def today(capsys, *args):
    code = main(["today", *map(str, args), "--json"])
    return code, json.loads(capsys.readouterr().out)


def test_the_shape_is_the_contracts(capsys):
    code, found = today(capsys, demo_file(), "--log", demo_log_file(), "--minutes", 45)
    assert code == 0 and found["minutes"] == sum(item["minutes"] for item in found["items"]) <= 45
    assert all({"what", "plan", "tempo", "minutes", "why"} <= item.keys() for item in found["items"])
    assert {item["what"] for item in found["items"]} >= {"warm-up", "rungs"}
    for row in found["forecast"]:
        assert row["spread"][0] <= row["sessions"] <= row["spread"][1]


def test_without_a_logbook_it_makes_none_and_begins_slowly(capsys):
    code, found = today(capsys, demo_file(), "--minutes", 20)
    assert code == 0 and found["forecast"] == [] and not logbook_file().exists()
    assert found["items"][-1]["why"].startswith("committed and not begun")


def test_its_own_logbook_counts_what_was_played_today_and_earlier_entries_find_their_plan(tmp_path, capsys):
    document, _ = open_document(demo_file())
    path = tmp_path / "mine.reach"
    save_document(path, document)
    book = Logbook(logbook_file())
    now = datetime.now().astimezone()
    for days, plan in ((2, "storm"), (0, "lantern-ferry/storm")):
        at = (now - timedelta(days=days)).isoformat(timespec="seconds")
        book.add(Attempt(at, plan, "Storm at the breakwater", "R", "everything", 90.0, "clean", seconds=360.0))
    book.close()
    _, found = today(capsys, path, "--minutes", 30)
    assert found["played"] == 6.0 and found["minutes"] <= 24
    assert "warm-up" not in {item["what"] for item in found["items"]}
    storm = [item for item in found["items"] if item["plan"] == "Storm at the breakwater"]
    assert storm and "clean at 90 BPM" in " ".join(item["why"] for item in storm)
    book = Logbook(logbook_file())
    assert {row.plan for row in book.attempts()} == {"lantern-ferry/storm"}
    book.close()


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (["roll.mid"], "from a document"),
        (["none.reach"], "there is no such file"),
        ([str(demo_file()), "--minutes", "2"], "expected 5 to 240"),
        ([str(demo_file()), "--log", "nowhere.sqlite"], "there is no such logbook"),
        ([str(demo_file()), "--log", "broken.csv"], "line 1"),
    ],
)
def test_what_cannot_be_read_says_so(args, words, tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "broken.csv").write_text("nothing,of,the,kind\n")
    try:
        code = main(["today", *args])
    except SystemExit as stopped:
        code = stopped.code
    assert code == 2 and words in capsys.readouterr().err


def test_in_words_it_says_when_what_and_why(capsys):
    assert main(["today", str(demo_file()), "--log", str(demo_log_file()), "--minutes", "30"]) == 0
    out = capsys.readouterr().out
    assert "0 min  warm up: " in out and "BPM; " in out and "min in all" in out and "dBA" in out
    assert date.today().isoformat() not in out
