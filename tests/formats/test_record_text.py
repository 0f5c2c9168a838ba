"""Records as text: what json.dumps writes of their dictionaries, letter for letter, and large ones only once."""

import gc
import json
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_reach.core import layout
from deft_reach.formats import record_text
from deft_reach.formats.document import dump_document, load_document
from deft_reach.formats.record_text import object_text, record_rows, value_text
from deft_reach.formats.records import to_dict
from deft_reach.store.places import demo_file
from tests.formats.test_records import Branch, Leaf, branches

json_values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.floats(-9, 9) | st.text(max_size=4),
    lambda inside: st.lists(inside, max_size=3) | st.dictionaries(st.text(max_size=3), inside, max_size=3),
    max_leaves=8,
)


def written(value: object) -> str:
    return json.dumps(value, ensure_ascii=False, indent=1, allow_nan=False)


@given(branches, st.dictionaries(st.text(max_size=3), json_values, max_size=3))
def test_the_text_is_that_of_the_dictionary(branch, extra):
    known = {name: value for name, value in extra.items() if name not in ("name", "leaves", "best", "words", "count")}
    branch = replace(branch, extra=known)
    assert value_text(branch) == written(to_dict(branch))
    assert object_text(record_rows(branch)) == value_text(branch)


def test_a_document_is_written_as_before():
    document = load_document(demo_file().read_bytes())
    wanted = written({"format": "deft-reach", **to_dict(document)}) + "\n"
    assert dump_document(document).decode() == wanted
    assert dump_document(document).decode() == wanted, "what is kept is the same"


def test_a_large_record_is_kept_as_long_as_it_lives():
    kit = replace(layout("five"), name="Kept kit")
    text = value_text(kit)
    assert value_text(kit) is text
    assert value_text(replace(kit, name="Other kit")) == text.replace("Kept kit", "Other kit")
    before = len(record_text._kept)
    key = id(kit)
    del kit
    gc.collect()
    assert key not in record_text._kept and len(record_text._kept) < before


def test_numbers_that_json_does_not_have_are_refused():
    with pytest.raises(ValueError, match="JSON"):
        value_text(Branch("a", (Leaf(float("nan")),)))
