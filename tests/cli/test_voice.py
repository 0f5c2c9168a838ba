"""``deft-reach voice`` to the letter of the contract."""

import json

import pytest

from tests.cli.test_verbs import run


def test_the_promised_object(capsys):
    code, out, err = run(
        capsys, "voice", "-e", "R> L R R L> R L L", "--palette", "sn,t1,t2,ft", "--accents", "c1,c2", "--contour",
        "down", "--best", "2", "--json",
    )  # fmt: skip
    assert code == 0 and err == "" and out.count("\n") == 1
    found = json.loads(out)
    assert set(found) == {"best", "searched", "proven"} and len(found["best"]) == 2 and found["proven"] is True
    for row in found["best"]:
        assert set(row) == {
            "sticking", "text", "cost", "level", "ease", "difficulty", "habit", "tempo_limit", "findings", "differs",
        }  # fmt: skip
        assert row["sticking"] == "R L R R L R L L"
        again = json.loads(run(capsys, "analyse", "-e", row["text"], "--json")[1])
        assert again["summary"]["cost"] == pytest.approx(row["cost"])
        assert again["findings"] == row["findings"]
    levels = [("easy", "busy", "hard", "impossible").index(row["level"]) for row in found["best"]]
    assert levels == sorted(levels) and found["best"][0]["differs"] == []


def test_in_words(capsys):
    code, out, _ = run(capsys, "voice", "-e", "R L R L", "--palette", "sn,ft", "--repeat")
    assert code == 0 and out.startswith("1. snare, floor tom\n   busy, ease ") and "this order is proven" in out


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (("-e", "R L"), "--palette"),
        (("-e", "R L", "--palette", ","), "the palette is empty"),
        (("-e", "R L", "--palette", "sn,zz"), "no voice 'zz'"),
        (("-e", "R L", "--palette", "sn", "--contour", "round"), "invalid choice"),
        (("-e", "R L", "--palette", "sn", "--best", "0"), "--best is 0; expected 1 to 50"),
        (("-e", "? L", "--palette", "sn"), "settled sticking"),
    ],
)
def test_bad_questions(capsys, args, words):
    code, out, err = run(capsys, "voice", *args)
    assert code == 2 and out == "" and words in err
