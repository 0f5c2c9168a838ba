"""Kinds of piece: one table, and one added from outside goes through everything that has to know it."""

import json

import numpy as np
import pytest

from deft_reach.core import Player, analyse, layout, parse
from deft_reach.core.document import new_document
from deft_reach.core.model import piece_kinds
from deft_reach.core.model.kit import KitError, check_kit
from deft_reach.core.model.layouts import exchanged, new_piece
from deft_reach.core.model.piece_kinds import (
    CYMBALS,
    DRUMS,
    PEDALS,
    PIECE_KINDS,
    SINGLE_KINDS,
    MidiKey,
    PieceKind,
    Timbre,
)
from deft_reach.core.model.substitutes import missing_voices, substitute
from deft_reach.formats.document import dump_document, load_document, schema
from deft_reach.formats.floor_svg import dump_floor_plan
from deft_reach.formats.general_midi import key_of, sound_of
from deft_reach.formats.midi import dump_midi, load_midi
from deft_reach.formats.musicxml import dump_musicxml, load_musicxml
from deft_reach.formats.pieces_csv import dump_pieces, load_pieces
from deft_reach.sound.voices import stroke_sound

FIVE = layout("five")
#: A tambourine on a stand (General MIDI key 54).
TAMBOURINE = PieceKind(
    "tambourine", "tambourine on a stand", "percussion", "tb", "tambourine", 950, 250, 80, 0, 50,
    Timbre("cymbal", 900.0, 0.2, 0.1, swells=True), ("F", 6), (MidiKey(54),), ("hi-hat", "ride"),
)  # fmt: skip


@pytest.fixture
def tambourine():
    piece_kinds.register(TAMBOURINE)
    yield TAMBOURINE
    piece_kinds.unregister("tambourine")


@pytest.fixture
def kit(tambourine):
    return FIVE.with_piece(new_piece(FIVE, "tambourine"))


def test_a_kind_from_outside_goes_through_everything(kit):
    check_kit(kit)
    piece = kit.piece("tb")
    assert (piece.kind, piece.diameter, piece.z) == ("tambourine", 250, 950)
    # Analysis.
    pattern = parse("/8 R@tb L@sn R@tb L@ft", {"tb"})
    report = analyse(pattern, kit, Player(), 100, repeat=True)
    assert report.summary.level is not None and not report.stopped
    # Document and schema.
    document = new_document().with_kit(kit)
    assert load_document(dump_document(document)).kit(kit.id).piece("tb") == piece
    assert "tambourine" in schema()["$defs"]["piece"]["properties"]["kind"]["enum"]
    assert load_pieces(dump_pieces(kit), "kit").piece("tb").kind == "tambourine"
    # MIDI.
    assert key_of(kit, "tb", "R", "") == 54 and sound_of(kit, 54).voice == "tb"
    midi = load_midi(dump_midi(pattern, kit, 100), kit)
    assert "tb" in midi.text
    # Score and staff.
    score = dump_musicxml(pattern, kit, 100)
    assert b"<display-step>F</display-step><display-octave>6</display-octave>" in b"".join(score.split())
    assert "@tb" in load_musicxml(score, kit).text
    # Sound: not that of a block, and as long as it says.
    own, block = stroke_sound(kit, "tb", "R", ""), stroke_sound(kit, "nothing", "R", "")
    assert len(own) != len(block) and np.abs(own).max() == pytest.approx(0.5, abs=0.05)
    # What stands in for it, and the floor plan.
    assert substitute(FIVE, "tb") == "hh" and missing_voices(FIVE, ("tb",)) == {"tb": "hh"}
    assert exchanged(FIVE, FIVE.piece("c1"), "tambourine").kind == "tambourine"
    assert "tambourine" in dump_floor_plan(kit).decode()


def test_without_it_such_a_document_is_refused_with_the_place():
    piece_kinds.register(TAMBOURINE)
    data = dump_document(new_document().with_kit(FIVE.with_piece(new_piece(FIVE, "tambourine"))))
    piece_kinds.unregister("tambourine")
    with pytest.raises(ValueError, match="kits"):
        load_document(data)
    assert json.loads(data)["kits"]


def test_families_are_what_the_table_says():
    assert set(CYMBALS) == {"hi-hat", "ride", "crash", "splash", "china"}
    assert set(DRUMS) == {"snare", "tom", "floor-tom", "bass"} and "bell" not in DRUMS
    assert set(PEDALS) == set(SINGLE_KINDS) == {"bass-pedal", "second-bass-pedal", "hat-pedal"}
    assert {"snare", "tom"} <= DRUMS and DRUMS - {"bass"} == {"snare", "tom", "floor-tom"}
    assert schema()["$defs"]["piece"]["properties"]["kind"]["enum"] == list(PIECE_KINDS)
    for kind in piece_kinds.all_kinds():
        assert all(other in PIECE_KINDS for other in kind.instead), kind.name
        assert kind.family in piece_kinds.FAMILIES and kind.words and kind.label


def test_a_bell_rings_and_a_block_knocks():
    """The demo's buoy bell, and a block called a bell in documents of before."""
    bell = new_piece(FIVE, "bell")
    kit = FIVE.with_piece(bell)
    old = FIVE.with_piece(
        new_piece(FIVE, "block").__class__(
            **{
                **{f: getattr(bell, f) for f in ("code", "x", "y", "z", "diameter", "width", "tilt", "depth")},
                "name": "buoy bell",
                "kind": "block",
            }
        )
    )
    block = FIVE.with_piece(new_piece(FIVE, "block"))
    ringing, knock = stroke_sound(kit, bell.code, "R", ""), stroke_sound(block, "wb", "R", "")
    assert len(ringing) > 5 * len(knock)
    assert np.array_equal(stroke_sound(old, bell.code, "R", ""), ringing)
    assert key_of(kit, bell.code, "R", "") == key_of(old, bell.code, "R", "") == 56
    assert key_of(block, "wb", "R", "") == 76


def test_what_is_no_kind_is_refused():
    for broken, words in (
        (PieceKind("snare", "x", "drum", "x", "x", 1, 1, 1), "already"),
        (PieceKind("gong", "x", "metal", "x", "x", 1, 1, 1), "unknown family 'metal'"),
        (PieceKind("gong", "x", "cymbal", "x", "x", 1, 1, 1, timbre=Timbre("boom")), "unknown sound 'boom'"),
    ):
        with pytest.raises(ValueError, match=words):
            piece_kinds.register(broken)
    with pytest.raises(ValueError, match="ships with the app"):
        piece_kinds.unregister("snare")
    with pytest.raises(KitError, match="unknown kind 'gong'"):
        check_kit(
            FIVE.with_piece(
                FIVE.piece("c1").__class__(
                    **{
                        **{f: getattr(FIVE.piece("c1"), f) for f in ("x", "y", "z", "diameter", "width")},
                        "code": "gg",
                        "name": "gong",
                        "kind": "gong",
                    }
                )
            )
        )
