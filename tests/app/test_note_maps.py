"""The player's electronic kit in the window: its notes chosen, learned, used and removed."""

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDialogButtonBox, QFileDialog, QMessageBox

from deft_reach.app.dialogs.note_map_dialog import NoteMapDialog
from deft_reach.app.widgets import note_map_box, port_box
from deft_reach.cli.main import main
from deft_reach.formats.midi_take import dump_performance
from deft_reach.formats.note_map import NoteMap, dump_note_map, load_note_map
from deft_reach.store.note_maps import NoteMaps
from deft_reach.store.settings import Settings
from tests.app.conftest import choose, in_dialog, pick
from tests.app.test_log_station import press, station  # noqa: F401

OWN = NoteMap("Attic kit", {60: 36, 61: 44, 62: 38, 63: 42, 64: 48, 65: 45, 66: 43, 67: 51, 68: 49, 69: 57})


def advice(form, qtbot):
    qtbot.waitUntil(lambda: form.found is not None, timeout=20_000)
    return form.verdict.text(), form.advice.text()


def test_a_recording_of_a_kit_with_notes_of_its_own(station, window, tmp_path, monkeypatch, qtbot):  # noqa: F811
    own, take = tmp_path / "own.json", tmp_path / "take.mid"
    own.write_bytes(dump_note_map(OWN))
    form = station.takes
    hits = OWN.sent(form.performed())
    take.write_bytes(dump_performance(hits))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(take), ""))
    press(form.browse_button)
    qtbot.waitUntil(lambda: "Listening" not in form.words.text(), timeout=20_000)
    assert form.found is None or form.found.verdict != "clean", "by General MIDI it is something else"
    window.note_maps.keep(OWN)
    window.note_maps.choose("general-midi")
    pick(form.notes.box, "notes: Attic kit")
    assert form.notes.box.currentText() == "notes: Attic kit"
    form.found = None
    press(form.browse_button)
    verdict, _ = advice(form, qtbot)
    assert verdict.startswith("Clean")


def test_learning_by_striking_each_pad(station, window, monkeypatch, qtbot):  # noqa: F811
    """The simulated kit sends notes of its own, and the dialog takes them down."""
    form = station.takes

    def play(dialog):
        now = [100.0]
        dialog.recorder.clock = lambda: now[0]
        press(dialog.start)
        dialog.recorder.timer.setInterval(10**6)
        for _ in range(3):
            now[0] += 0.4
            dialog.recorder.tick()
        assert dialog.asked.text() == f"Strike the {dialog.learner.pads[3].words}"
        press(dialog.skip)
        press(dialog.back)
        while dialog.learner.asked is not None:
            now[0] += 0.4
            dialog.recorder.tick()
        assert dialog.table.item(0, 1).text() == "60" and "All pads" in dialog.asked.text()
        dialog.name.setFocus()
        dialog.name.selectAll()
        QTest.keyClicks(dialog.name, "Cellar kit")
        press(dialog.buttons.button(QDialogButtonBox.StandardButton.Save))

    in_dialog(NoteMapDialog, play)
    choose(form.notes.more.menu(), "Strike each pad")
    assert window.note_maps.chosen.name == "Cellar kit" and window.note_maps.chosen.key(63) == 38
    assert form.notes.box.currentText() == station.hand_test.notes.box.currentText() == "notes: Cellar kit"
    again = NoteMaps(Settings(window.settings.file), window.state_folder / "note-maps")
    assert again.chosen == window.note_maps.chosen, "it is there after the next start"
    monkeypatch.setattr(QMessageBox, "question", lambda *a: QMessageBox.StandardButton.Yes)
    choose(form.notes.more.menu(), "Remove “Cellar kit”")
    assert form.notes.box.currentText() == "notes: General MIDI" and window.note_maps.chosen_id == "general-midi"
    assert not list((window.state_folder / "note-maps").glob("*.json"))


def test_a_kit_that_is_tapped_on_sends_its_own_notes(window, qapp):
    QTest.keyClick(window, Qt.Key.Key_2, Qt.KeyboardModifier.ControlModifier)
    qapp.processEvents()
    tap = window.write_station.tap
    window.note_maps.keep(OWN)
    hit = []
    tap.pad.light = lambda limb, voice, marks: hit.append((limb, voice))
    for key in (62, 60, 38):
        tap._take_played(key, 90)
    assert hit == [("?", "sn"), ("K", "bd")], "38 is no note of this kit"


def test_what_cannot_be_kept_is_said_and_a_damaged_map_is_passed_over(window, station, tmp_path, monkeypatch):  # noqa: F811
    folder = window.state_folder / "note-maps"
    folder.mkdir()
    (folder / "broken.json").write_text("{")
    maps = NoteMaps(window.settings, folder)
    assert not [id for id in maps.maps if id.startswith("own:")] and (folder / "broken.json").exists()
    told = []
    monkeypatch.setattr(QMessageBox, "warning", lambda *a: told.append(a[-1]))

    class Dialog:
        result_map = OWN

        def __init__(self, *args):
            pass

        def exec(self):
            return 1

    monkeypatch.setattr(note_map_box, "NoteMapDialog", Dialog)
    (folder / "broken.json").unlink()
    folder.rmdir()
    folder.write_text("something else")
    choose(station.takes.notes.more.menu(), "Strike each pad")
    assert told and "note-maps" in told[0] and window.note_maps.chosen_id == "general-midi"


def test_the_commands_take_note_maps(tmp_path, capsys):
    own, take = tmp_path / "own.json", tmp_path / "take.mid"
    own.write_bytes(dump_note_map(OWN))
    figure = ["-e", "/16 R@t1 L@sn> R@ft K  R@c1+K L R@rd L"]
    assert main(["perform", *figure, str(take), "--notes", str(own)]) == 0
    assert main(["take", *figure, str(take), "--repeat", "--notes", str(own)]) == 0
    capsys.readouterr()
    assert main(["take", *figure, str(take), "--repeat"]) != 0
    capsys.readouterr()
    stranger = NoteMap("other", {60: 38, 62: 36})
    (tmp_path / "other.json").write_bytes(dump_note_map(stranger))
    main(["perform", *figure, str(take)])
    capsys.readouterr()
    main(["take", *figure, str(take), "--repeat", "--notes", str(tmp_path / "other.json")])
    assert "(36, 38) not in the note map 'other'" in capsys.readouterr().err
    for name in ("nowhere", str(tmp_path)):
        assert main(["take", *figure, str(take), "--notes", name]) == 2
    assert load_note_map(own.read_bytes()) == OWN


def test_the_choice_is_hidden_where_no_kit_is_played_on(window, station, monkeypatch):  # noqa: F811
    monkeypatch.setattr(port_box, "input_names", list)
    station.takes.refresh()
    assert not station.hand_test.notes.isVisibleTo(station.hand_test)
    assert not station.takes.notes.isHidden()
    assert "MIDI" in station.takes.ports.toolTip(), "why nothing but the simulated kit can be chosen"
