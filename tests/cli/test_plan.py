"""``deft-reach plan`` to the letter of the contract."""

import json
import re

import pytest

from tests.cli.test_verbs import run


def test_the_promised_object(capsys):
    code, out, err = run(
        capsys, "plan", "-e", "R@ft ? ? ?@t1 ?@rd K ?@hh ?", "--best", "3", "--repeat", "--tempo", "120", "--json"
    )
    assert code == 0 and err == "" and out.count("\n") == 1
    found = json.loads(out)
    assert (
        set(found) - {"easier"} == {"best", "searched", "proven", "open"}
        and found["open"] == []
        and isinstance(found["proven"], bool)
        and found["searched"] > 0
    )
    assert len(found["best"]) == 3
    for row in found["best"]:
        assert set(row) == {
            "sticking", "text", "cost", "level", "ease", "difficulty", "habit", "tempo_limit", "findings", "differs",
            "kind",
        }  # fmt: skip
        limbs = row["sticking"].split()
        assert len(limbs) == 8 and limbs[0] == "R" and limbs[5] == "K" and "?" not in row["text"]
        again = json.loads(run(capsys, "analyse", "-e", row["text"], "--repeat", "--tempo", "120", "--json")[1])
        assert again["summary"]["cost"] == pytest.approx(row["cost"]) and again["findings"] == row["findings"]
        first = found["best"][0]["sticking"].split()
        assert row["differs"] == [i for i, (a, b) in enumerate(zip(limbs, first)) if a != b]
    levels = [("easy", "busy", "hard", "impossible").index(r["level"]) for r in found["best"]]
    assert levels == sorted(levels)


def test_options_and_words(capsys):
    code, out, _ = run(capsys, "plan", "-e", "? ? ? ?", "--school", "right-lead", "--max-run", "1", "--best", "1")
    assert code == 0 and "1. R L R L" in out and "nothing costs less is proven" in out
    code, out, _ = run(capsys, "plan", "-e", "?@hh ?@sn", "--hat", "open", "--json")
    assert code == 0 and json.loads(out)["best"][0]["sticking"].startswith("L")


def test_nothing_open_is_itself_and_the_impossible_exits_1(capsys):
    code, out, _ = run(capsys, "plan", "-e", "R L R R", "--json")
    assert code == 0 and [r["sticking"] for r in json.loads(out)["best"]] == ["R L R R"]
    code, out, _ = run(capsys, "plan", "-e", "?@zz ?", "--json")
    assert code == 1 and json.loads(out)["best"][0]["findings"][0]["kind"] == "impossible"


def test_a_moment_for_three_hands_is_named_and_the_rest_is_planned(capsys):
    text = "/8 ? ? ? ? ? ? ? ? | ? ?@hh+?@sn+?@c1 ? ?"
    code, out, _ = run(capsys, "plan", "-e", text, "--json")
    found = json.loads(out)
    assert code == 1 and [(m["bar"], m["beat"], m["strokes"]) for m in found["open"]] == [(2, 1.5, [9])]
    assert "three strokes at once" in found["open"][0]["why"] and "to the foot" in found["open"][0]["why"]
    assert all(row["text"].count("?") == 1 and row["sticking"].count("?") == 1 for row in found["best"])
    assert found["best"][0]["findings"][0]["kind"] == "impossible"
    code, out, _ = run(capsys, "plan", "-e", text)
    assert code == 1 and "bar 2, 1 & stays open: two hands have three strokes at once" in out
    code, out, _ = run(capsys, "analyse", "-e", text)
    assert code == 1 and "bar 2, 1 & stays open" in out
    assert json.loads(run(capsys, "plan", "-e", "? ? ?", "--json")[1])["open"] == []


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (("-e", "? ?", "--school", "jazz"), "invalid choice"),
        (("-e", "? ?", "--max-run", "0"), "longest run is 0"),
        (("-e", "? ?", "--best", "99"), "--best is 99; expected 1 to 50"),
        (("-e", "?@hh ?@hh", "--hat", "open", "--max-run", "1"), "no sticking satisfies"),
        (("-e", "? ("), "line 1, column 3"),
    ],
)
def test_bad_questions(capsys, args, words):
    code, out, err = run(capsys, "plan", *args)
    assert code == 2 and out == "" and words in err


def test_one_row_a_kind_comes_first_and_one_kind_can_be_asked_for(capsys):
    text = "/16 ? ? ? ? ?@t1 ?@t1 ?@t1 ?@t1"
    found = json.loads(run(capsys, "plan", "-e", text, "--tempo", "110", "--json")[1])
    kinds = [row["kind"] for row in found["best"]]
    assert len(kinds) == 8 and kinds[0] == "hand to hand" and {"doubles", "paradiddle"} <= set(kinds)
    only = json.loads(run(capsys, "plan", "-e", text, "--tempo", "110", "--kind", "doubles", "--json")[1])["best"]
    assert len(only) > 1 and {row["kind"] for row in only} == {"doubles"}
    assert only[0]["sticking"] in [row["sticking"] for row in found["best"]]
    code, out, _ = run(capsys, "plan", "-e", text, "--tempo", "110", "--kind", "paradiddle")
    assert code == 0 and ". R L R R L R L L\n   paradiddle: " in out
    rows = [line for line in out.splitlines() if line.startswith("   paradiddle: ")]
    eases = [int(re.search(r"ease (\d+)", row)[1]) for row in rows]
    changes = [re.search(r"ease \d+ \(([+−]\d+)\)", row) for row in rows]
    assert changes[0] is None and all(
        int(c[1].replace("−", "-")) == e - eases[0] for c, e in zip(changes[1:], eases[1:])
    )
    code, _, err = run(capsys, "plan", "-e", text, "--kind", "kept")
    assert code == 2 and "no hands of the kind 'kept'" in err and "hand to hand" in err


def test_what_is_easier_but_against_habit_is_named_apart(capsys):
    """Drags with one hand alone are easier here; nobody is taught them so (common practice)."""
    text = "meter 2/4 /8 d? ?> d? ?> |"
    found = json.loads(run(capsys, "plan", "-e", text, "--tempo", "85", "--repeat", "--json")[1])
    easier = found["easier"]
    assert easier["ease"] >= found["best"][0]["ease"] + 8 and easier["habit"] > found["best"][0]["habit"]
    assert easier["sticking"] not in [row["sticking"] for row in found["best"]]
    _, out, _ = run(capsys, "plan", "-e", text, "--tempo", "85", "--repeat")
    assert f"easier, but against what hands have learned: {easier['sticking']}" in out
