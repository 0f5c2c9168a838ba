"""What must be so whatever has been done in a window: everything that stands on the screen is the state's."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtTest import QTest

from deft_reach.app.background.drag_pace import EVERY_MS
from deft_reach.app.text.numbers import decimal
from deft_reach.formats.document import dump_document, load_document
from deft_reach.store.documents import open_document, save_document


def settle(app, window) -> None:
    """Let everything that waits be done: keys that rest, drags that follow, work in the background."""
    window.session.catch_up()
    # What follows a drag in another drawing follows a moment later.
    QTest.qWait(2 * EVERY_MS)
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    app.processEvents()


def views_are_of_the_state(window) -> list[str]:
    """What on the screen is not so: of the header, and of what is in sight of the station in view."""
    session, header, wrong = window.session, window.header, []

    def expect(name, shown, held):
        if shown != held:
            wrong.append(f"{name} says {shown!r}, the state {held!r}")

    if window.start_page is not None:
        return wrong
    plan, report = session.plan, session.report
    expect(
        "plans",
        [header.plans.itemText(i) for i in range(header.plans.count())],
        [p.name for p in session.document.plans],
    )
    if plan is None:
        return wrong
    expect("plan in view", header.plans.currentData(), plan.id)
    expect("home tempo", header.tempo.value(), plan.tempo)
    if session.error is None and report is not None:
        expect("report", report.pattern.text, session.text)
        expect("report's tempo", report.summary.tempo, plan.tempo)
        expect("report's kit", report.table.kit, session.kit)
        if report.summary.tempo_limit is not None and not report.impossible and not report.summary.open:
            expect("limit", header.limit.value.text(), f"breaks at {report.summary.tempo_limit:.0f}")
    station = window.station
    if station == "write":
        editor = window.write_station.editor
        expect("text", editor.toPlainText(), session.text)
    elif station == "kit":
        form = window.kit_station.pieces_form
        if not form.isVisible():
            return wrong
        codes = [form.list.item(row, 0).text() for row in range(form.list.rowCount())]
        expect("pieces", sorted(codes), sorted(piece.code for piece in session.kit))
        piece = session.kit.piece(session.piece) if session.piece else None
        if piece is not None and form.places["x"].isVisible() and not form.places["x"].hasFocus():
            expect("place", decimal(form.places["x"].value(), ".0f"), decimal(piece.x, ".0f"))
    elif station == "reach" and report is not None and session.error is None:
        weave = window.reach_station.weave
        if weave.isVisible() and report.strokes:
            words = weave.accessibleDescription()
            if f"{len(report.strokes)} stroke" not in words:
                wrong.append(f"the weave says {words[:60]!r}, the state has {len(report.strokes)} strokes")
    return wrong


def saved_is_what_is_held(window, folder: Path) -> list[str]:
    """Whether a file has all of the document."""
    held, file = window.session.document, folder / "held.reach"
    save_document(file, held)
    opened, _ = open_document(file)
    if opened != held:
        return ["what was saved is not what is held"]
    return [] if load_document(dump_document(opened)) == held else ["what was opened cannot be saved again"]


def all_can_be_undone(window, began) -> list[str]:
    """Back to the beginning and forth again; ``began`` is None where another document came in between."""
    session, steps = window.session, 0
    now = session.document
    while session.undo_label is not None:
        session.undo()
        steps += 1
    wrong = (
        ["undoing everything does not lead to the beginning"]
        if began is not None and session.document != began
        else []
    )
    for _ in range(steps):
        session.redo()
    return wrong if session.document == now else [*wrong, "doing everything again does not lead back"]
