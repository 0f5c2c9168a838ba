"""Documents as JSON: nothing lost, everything wrong said with its place."""

import contextlib
import json
from dataclasses import replace
from fractions import Fraction

import jsonschema
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deft_reach.core import layout, parse
from deft_reach.core.document import Document, new_document
from deft_reach.core.motion.cost import TERMS
from deft_reach.core.session import Session
from deft_reach.formats.document import (
    _validate,
    dump_document,
    dump_kit,
    load_document,
    load_kit,
    load_player,
    schema,
)
from deft_reach.formats.reading import DocumentError, reader
from deft_reach.store.places import demo_file
from tests.machine import within


def full() -> Document:
    session = Session(new_document())
    session.plans.commit("because", "2026-11-20T20:00:00+00:00", "0.1.0")
    return session.document


def test_there_and_back_is_the_same_document():
    document = full()
    assert load_document(dump_document(document)) == document
    assert dump_document(load_document(dump_document(document))) == dump_document(document)


def test_what_is_written_follows_the_published_schema():
    jsonschema.Draft202012Validator.check_schema(schema())
    jsonschema.validate(json.loads(dump_document(full())), schema())
    jsonschema.validate(json.loads(demo_file().read_bytes()), schema())


def test_fields_of_a_newer_minor_version_survive_everywhere():
    raw = json.loads(dump_document(full()))
    raw["version"] = "1.7"
    raw["lighting"] = {"cues": [1, 2]}
    raw["plans"][0]["colour"] = "amber"
    raw["kits"][0]["pieces"][1]["maker"] = None
    raw["kits"][0]["pieces"][1]["zones"][0]["felt"] = True
    raw["commitments"][0]["kit"]["pieces"][0]["worn"] = 3
    document = load_document(json.dumps(raw).encode())
    changed = document.with_plan(replace(document.plans[0], tempo=77.0))
    again = json.loads(dump_document(changed))
    assert again["version"] == "1.7" and again["lighting"] == {"cues": [1, 2]}
    assert again["plans"][0]["colour"] == "amber" and again["plans"][0]["tempo"] == 77
    assert again["kits"][0]["pieces"][1]["maker"] is None
    assert again["kits"][0]["pieces"][1]["zones"][0]["felt"] is True
    assert again["commitments"][0]["kit"]["pieces"][0]["worn"] == 3


def broken(change) -> bytes:
    raw = json.loads(dump_document(full()))
    change(raw)
    return json.dumps(raw).encode()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "line 1, column 1: not JSON"),
        (b"{\n  nonsense", "line 2, column 3: not JSON"),
        (b"[1, 2]", "expected a JSON object"),
        (b"{}", "format: this is not a Deft Reach document"),
        (b"\xff\xfe{}", "line 1, column 1: these bytes are not UTF-8 text"),
        (b'{"format": "deft-reach", "a": NaN}', "NaN is not a number"),
        (b'{"format": "deft-reach", "a": 1e999}', "1e999 is too large a number"),
        (b'{"format": "deft-reach", "a": -1e999}', "too large a number"),
        (b'{"format": "deft-reach", "a": 1, "a": 2}', "'a' stands twice"),
        (b"[" * 100_000, "nested too deeply"),
        (b'{"a":' * 100_000, "nested too deeply"),
        (broken(lambda d: d.update(version="2.0")), "this app reads versions 1.x"),
        (broken(lambda d: d.update(version=1)), "version: expected a version"),
        (broken(lambda d: d["plans"][0].update(tempo="fast")), "plans[0].tempo: must be number; found 'fast'"),
        (broken(lambda d: d["plans"][0].update(tempo=1e999)), "is not a number"),
        (broken(lambda d: d["plans"][0].pop("kit")), "plans[0]: lacks 'kit'"),
        (broken(lambda d: d["plans"][0].update(kit="attic")), "plans[0].kit: there is no kit with the id 'attic'"),
        (broken(lambda d: d["kits"][0]["pieces"][0].update(kind="gong")), "kits[0].pieces[0].kind"),
        (broken(lambda d: d["kits"][0]["pieces"].append(d["kits"][0]["pieces"][0])), "the code is used twice"),
        (broken(lambda d: d["players"][0].update(grip_mm=490)), "players[0]: player"),
        (broken(lambda d: d["plans"].append(d["plans"][0])), "plans[1].id: the id 'plan-1' is used twice"),
        (broken(lambda d: d["plans"][0].update(weights={"pace": -1})), "plans[0].weights.pace"),
    ],
)
def test_files_that_are_wrong_are_refused_with_the_place(data, words):
    with pytest.raises(DocumentError) as caught:
        load_document(data)
    assert words in str(caught.value)


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(data):
    with contextlib.suppress(DocumentError):
        load_document(data)


@given(st.data())
def test_a_document_with_any_one_value_replaced_is_read_or_refused(data):
    raw = json.loads(dump_document(full()))
    here = raw
    while True:
        keys = list(here) if isinstance(here, dict) else list(range(len(here)))
        key = data.draw(st.sampled_from(keys))
        if isinstance(here[key], dict | list) and here[key] and data.draw(st.booleans()):
            here = here[key]
            continue
        here[key] = data.draw(st.sampled_from([None, -1, 0, 1e9, "x", [], {}, True, "?" * 300]))
        break
    try:
        load_document(json.dumps(raw).encode())
    except DocumentError as error:
        assert str(error)


def test_an_unfinished_text_does_not_keep_a_document_from_opening():
    document = new_document()
    document = document.with_text(document.plans[0], "R L (")
    assert load_document(dump_document(document)) == document


def test_kits_and_players_alone():
    kit = layout("pit")
    assert load_kit(dump_kit(kit)) == kit
    assert load_kit(dump_document(full())).id == "five"
    assert load_player(b'{"stature_mm": 1600, "skill": 0.55}').stature_mm == 1600
    assert load_player(dump_document(full())).skill == 0.75
    with pytest.raises(DocumentError, match=r"kit\.pieces"):
        load_kit(b'{"format": "deft-reach-kit", "version": "1.0", "kit": {"id": "a", "name": "b", "pieces": 3}}')
    with pytest.raises(DocumentError, match="stature_mm"):
        load_player(b'{"stature_mm": 3000}')


def test_the_demo_shows_every_kind_of_finding():
    from deft_reach.core.document import analyse_plan

    document = load_document(demo_file().read_bytes())
    reports = {plan.id: analyse_plan(document, plan) for plan in document.plans}
    shown = {finding.kind for report in reports.values() for finding in report.findings}
    assert shown >= {
        "crossover",
        "crossed-hold",
        "open-handed",
        "sweep",
        "hurried",
        "strained-reach",
        "out-of-reach",
        "impossible",
        "split-foot",
        "unattended-hat",
        "lead-switch",
        "overload",
    }
    assert len(document.plans) >= 6 and document.title == "Lantern Ferry"
    assert reports["mouth"].summary.headroom > 0.2 and reports["mouth"].worst != "stop"
    assert reports["storm"].summary.headroom < 0
    assert sum(plan.repeat for plan in document.plans) >= 2


def test_half_a_character_survives_saving():
    document = new_document()
    document = document.with_text(document.plans[0], "R L # \ud83e")
    assert load_document(dump_document(document)) == document


def test_the_schema_knows_every_cost_term():
    assert set(schema()["$defs"]["weights"]["properties"]) == set(TERMS)


ODD_VALUES = st.sampled_from(
    [None, True, False, 0, -1, 1, 1.0, 2.5, 1e9, "", "x", "sn", "R" * 201, [], [1], {}, {"at": 1}, 10**30, "1.0"]
)


def places(value, path=()):
    """Every place in a JSON value, as the keys that lead there."""
    yield path
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, item in inside:
        yield from places(item, (*path, key))


@settings(max_examples=120, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_the_validator_says_what_the_reference_implementation_of_the_schema_says(data):
    """Against jsonschema, which is the reference and far too slow for files that somebody wants to be slow."""
    raw = json.loads(dump_document(full()))
    for _ in range(data.draw(st.integers(0, 2))):
        path = data.draw(st.sampled_from([p for p in places(raw) if p]))
        *most, last = path
        inside = raw
        for key in most:
            inside = inside[key]
        if data.draw(st.booleans()) and isinstance(inside, dict):
            del inside[last]
        else:
            inside[last] = data.draw(ODD_VALUES)
    wanted = jsonschema.Draft202012Validator(schema()).is_valid(raw)
    try:
        _validate(raw)
    except DocumentError as error:
        assert not wanted, error
    else:
        assert wanted


def keywords(rules) -> set[str]:
    """Every keyword of a schema, the names of properties and definitions left out."""
    if isinstance(rules, list):
        return set().union(*map(keywords, rules))
    if not isinstance(rules, dict):
        return set()
    found = set(rules)
    for key, value in rules.items():
        inside = value.values() if key in ("properties", "$defs", "dependentRequired") else [value]
        found |= (
            set().union(*(keywords(item) for item in inside)) if key not in ("enum", "const", "default") else set()
        )
    return found


def test_the_schema_says_nothing_that_the_validator_passes_over():
    """fastjsonschema knows draft 7 and is silent on what it does not know; ``dependentRequired`` is translated."""
    known = {
        "$schema", "$id", "$defs", "$ref", "title", "description", "default", "type", "enum", "const", "properties",
        "required", "additionalProperties", "items", "minItems", "maxItems", "minLength", "maxLength", "pattern",
        "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "anyOf", "oneOf", "allOf", "dependentRequired",
    }  # fmt: skip
    assert keywords(schema()) <= known, keywords(schema()) - known


def test_a_large_file_with_an_error_is_refused_at_once():
    """Two seconds to more than a minute once, for all errors and the best of them."""
    raw = json.loads(dump_document(full()))
    raw["plans"] = [dict(raw["plans"][0], id=f"p{k}", tempo="x") for k in range(15_000)]
    data = json.dumps(raw).encode()
    with within(5), pytest.raises(DocumentError, match=r"plans\[0\].tempo: must be number; found 'x'"):
        load_document(data)
    raw["plans"] = [5] * 1_000_000
    with pytest.raises(DocumentError, match="plans: must contain less than or equal to 20000 items"):
        load_document(json.dumps(raw).encode())


def test_what_nobody_foresaw_is_a_damaged_file_with_its_cause():
    @reader
    def read(data: bytes) -> int:
        return 1 // len(data)

    with pytest.raises(DocumentError, match="the file is damaged") as caught:
        read(b"")
    assert isinstance(caught.value.__cause__, ZeroDivisionError)
    assert read(b"a") == 1


def test_texts_that_swing_keep_their_meaning_from_before_version_1_4():
    """Until then a text was in sixteenths whatever swung; the grid is written out when such a file is opened."""
    document = load_document(demo_file().read_bytes())
    raw = json.loads(dump_document(document))
    raw["patterns"][0]["text"] = "# over and over, swing 66 /8\ntempo 96 swing 66 /8\nR L R L"
    raw["plans"][0]["candidates"] = [{"name": "other", "text": "swing 58 /8 L R L R"}]
    raw["patterns"][1]["text"] = "swing 66 /8 /8t R L R"
    raw["patterns"][2]["text"] = "swing 66 /8 R L (R"
    written = {}
    for version in ("1.0", "1.3", "1.4", "1.7"):
        raw["version"] = version
        read = load_document(json.dumps(raw).encode())
        texts = [score.text for score in read.patterns[:3]]
        written[version] = [*texts, read.plans[0].candidates[0].text]
        assert load_document(dump_document(read)).patterns == read.patterns, "once and for all"
    assert written["1.0"] == written["1.3"] and written["1.4"] == written["1.7"]
    assert written["1.4"][0] == raw["patterns"][0]["text"]
    first, own, unfinished, kept = written["1.3"]
    assert first == "# over and over, swing 66 /8\ntempo 96 swing 66 /8 /16\nR L R L"
    assert own == raw["patterns"][1]["text"] and unfinished == "swing 66 /8 /16 R L (R"
    assert parse(kept).length == Fraction(1, 4) and parse(written["1.4"][3]).length == Fraction(1, 2)
