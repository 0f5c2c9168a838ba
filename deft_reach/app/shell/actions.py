"""Everything the menus offer, as one table: menus, shortcuts and the sheet of keys are made from it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from types import ModuleType
from typing import TYPE_CHECKING, Final, NamedTuple

from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QMenu

from deft_reach.app.shell.stations import STATIONS
from deft_reach.core.notation.rudiments import RUDIMENTS, Rudiment

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow

Standard = QKeySequence.StandardKey


class ActionSpec(NamedTuple):
    """An entry of a menu.

    ``keys`` are its shortcuts, the usual one first; ``sheet`` is what the sheet of keys says of them, the entry's
    text where it is empty; ``name`` is what the window knows the action by, where it has to.
    """

    text: str
    run: Callable[[MainWindow], object]
    keys: tuple[str | QKeySequence.StandardKey, ...] = ()
    sheet: str = ""
    name: str = ""


class SubMenu(NamedTuple):
    """A menu inside a menu; ``fill`` fills it each time it is about to be shown."""

    text: str
    entries: tuple[Entry, ...] = ()
    fill: Callable[[MainWindow, QMenu], object] | None = None


#: None is a separator.
Entry = ActionSpec | SubMenu | None


def _drawn(rudiment: Rudiment) -> str:
    """A rudiment's name and its hands, as it is looked for."""
    hands = " ".join(f"{s.grace}{s.limb}" if s.grace else s.limb for s in rudiment.pattern.strokes)
    return f"{rudiment.name.capitalize()}\t{hands}"


def _rudiments() -> tuple[SubMenu, ...]:
    families = dict.fromkeys(rudiment.family for rudiment in RUDIMENTS)
    return tuple(
        SubMenu(
            f"{family.capitalize()} rudiments",
            tuple(
                ActionSpec(_drawn(r), lambda window, r=r: window.new_plan_from(r))  # type: ignore[misc]
                for r in RUDIMENTS
                if r.family == family
            ),
        )
        for family in families
    )


def _stations() -> tuple[ActionSpec, ...]:
    return tuple(
        ActionSpec(
            spec.title,
            lambda window, name=spec.name: window.go(name),  # type: ignore[misc]
            (f"Ctrl+{number}",),
            f"go to {spec.title.replace('&', '')}",
        )
        for number, spec in enumerate(STATIONS.values(), 1)
    )


def _copying() -> ModuleType:
    from deft_reach.app.paper import copying  # late: copying is rare

    return copying


def _copy_picture(window: MainWindow) -> None:
    _copying().copy_picture(window.focusWidget(), window.stack.currentWidget(), window.notice)


MENUS: Final[tuple[tuple[str, tuple[Entry, ...]], ...]] = (
    (
        "&File",
        (
            ActionSpec("&New document", lambda w: w.documents.new_document(), ("Ctrl+Shift+N",)),
            ActionSpec(
                "New fro&m this one", lambda w: w.documents.new_from_this(),
                sheet="a new document with the same kits, players and plans; its practice is its own",
            ),
            ActionSpec("&Open…", lambda w: w.documents.browse(), (Standard.Open,), "open a document or a pattern"),
            SubMenu("Open &recent", fill=lambda w, menu: w.documents.fill_recent(menu)),
            ActionSpec("Open the &demo", lambda w: w.documents.open_demo()),
            None,
            ActionSpec("&Save", lambda w: w.documents.save(), (Standard.Save,), "save the document"),
            ActionSpec("Save &as…", lambda w: w.documents.save_as(), ("Ctrl+Shift+S",), "save under another name"),
            ActionSpec(
                "Export &plan…", lambda w: w.exchange.export_plan(), ("Ctrl+Shift+E",),
                "export the plan: MIDI, MusicXML, PDF",
            ),
            ActionSpec(
                "&Export kit…", lambda w: w.exchange.export_kit(), ("Ctrl+E",), "export the kit: floor plan, table"
            ),
            None,
            ActionSpec("Prin&t plan…", lambda w: w.exchange.print_plan(), (Standard.Print,)),
            ActionSpec("Print &floor plan…", lambda w: w.exchange.print_kit(), ("Ctrl+Shift+P",)),
            None,
            ActionSpec("&Close", lambda w: w.close(), ("Ctrl+W",), "close the window"),
            ActionSpec("&Quit", lambda w: w.close(), (Standard.Quit,)),
        ),
    ),
    (
        "&Edit",
        (
            ActionSpec("Undo", lambda w: w.session.undo(), (Standard.Undo,), "undo, of everything", "undo"),
            ActionSpec("Redo", lambda w: w.session.redo(), ("Ctrl+Shift+Z", "Ctrl+Y"), "redo", "redo"),
            None,
            # In a text box their keys are its own.
            ActionSpec("Cu&t", lambda w: w.send_key(Standard.Cut)),
            ActionSpec("&Copy", lambda w: w.send_key(Standard.Copy)),
            ActionSpec("&Paste", lambda w: w.send_key(Standard.Paste)),
            ActionSpec("Select &all", lambda w: w.send_key(Standard.SelectAll)),
            None,
            ActionSpec("&Find a command…", lambda w: w.find_command(), ("Ctrl+K",), "find anything by its words"),
            None,
            SubMenu(
                "Copy a&s",
                (
                    ActionSpec("&Picture of this drawing", _copy_picture, ("Ctrl+Shift+C",)),
                    ActionSpec("&Stroke text", lambda w: _copying().copy_text(w.session, w.notice)),
                    ActionSpec("&MIDI", lambda w: _copying().copy_midi(w.session, w.notice)),
                ),
            ),
            ActionSpec("Try the &other hand", lambda w: w.try_other_hand()),
        ),
    ),
    (
        "&Plan",
        (
            ActionSpec("&New plan", lambda w: w.new_plan(), ("Ctrl+N",)),
            SubMenu("New from a rud&iment", _rudiments()),
            ActionSpec("&Duplicate plan", lambda w: w.session.plans.duplicate_plan(), ("Ctrl+D",)),
            ActionSpec("&Rename…", lambda w: w.rename_plan(), ("F2",), "rename the plan"),
            ActionSpec("D&elete plan", lambda w: w.session.plans.delete_plan()),
            None,
            ActionSpec("Plan &before", lambda w: w.session.plans.step_plan(-1), ("Ctrl+PgUp",)),
            ActionSpec("Plan &after", lambda w: w.session.plans.step_plan(1), ("Ctrl+PgDown",)),
            None,
            ActionSpec("Tempo &up", lambda w: w.step_tempo(1), ("Ctrl+Up",), "home tempo up by 1 BPM"),
            ActionSpec("Tempo do&wn", lambda w: w.step_tempo(-1), ("Ctrl+Down",), "home tempo down by 1 BPM"),
            ActionSpec("Tempo up by 5", lambda w: w.step_tempo(5), ("Ctrl+Shift+Up",), "home tempo up by 5 BPM"),
            ActionSpec(
                "Tempo down by 5", lambda w: w.step_tempo(-5), ("Ctrl+Shift+Down",), "home tempo down by 5 BPM"
            ),
            ActionSpec("&Loop", lambda w: w.toggle_loop(), ("Ctrl+L",), "loop, or played once"),
            ActionSpec("&Play or stop", lambda w: w.transport.toggle(), ("F5",)),
            ActionSpec("Pla&y from this bar", lambda w: w.transport.start_from_bar(), ("Shift+F5",)),
            None,
            ActionSpec("&Commit…", lambda w: w.commit(), ("Ctrl+Return", "Ctrl+Enter"), "commit the plan"),
            ActionSpec(
                "Commit&ments…", lambda w: w.show_commitments(), ("Ctrl+Shift+Return", "Ctrl+Shift+Enter"),
                "what was committed",
            ),
        ),
    ),
    (
        "&View",
        (
            *_stations(),
            None,
            ActionSpec("What makes it har&d", lambda w: w.show_demands(), ("F7",), "what makes the plan hard"),
            ActionSpec("Table of strokes", lambda w: w.show_strokes(), ("F9",), "every stroke in a table"),
            ActionSpec("&Next finding", lambda w: w.transport.session.step_finding(1), ("F8",)),
            ActionSpec("Finding &before", lambda w: w.transport.session.step_finding(-1), ("Shift+F8",)),
            ActionSpec("Whole &pattern", lambda w: w.fit_view(), ("Ctrl+0",), "show the whole pattern"),
            None,
            SubMenu(
                "&Theme",
                (
                    ActionSpec("As the &system", lambda w: w.set_theme("system")),
                    ActionSpec("&Light", lambda w: w.set_theme("light")),
                    ActionSpec("&Dark", lambda w: w.set_theme("dark")),
                ),
            ),
            SubMenu(
                "Lengt&hs in",
                (
                    ActionSpec("&Millimetres", lambda w: w.set_unit("mm")),
                    ActionSpec("&Inches", lambda w: w.set_unit("in")),
                ),
            ),
            SubMenu(
                "M&otion while playing",
                (
                    ActionSpec("As the &system", lambda w: w.set_motion("system")),
                    ActionSpec("&Flowing", lambda w: w.set_motion("flowing")),
                    ActionSpec("From stroke to &stroke", lambda w: w.set_motion("steps")),
                ),
            ),
            ActionSpec("F&ull screen", lambda w: w.toggle_full_screen(), ("F11",), "full screen, and back"),
            None,
            ActionSpec("Larger te&xt", lambda w: w.scale_text(0.1), ("Ctrl++", "Ctrl+=")),
            ActionSpec("S&maller text", lambda w: w.scale_text(-0.1), ("Ctrl+-",)),
        ),
    ),
    (
        "&Help",
        (
            ActionSpec("&Keys", lambda w: w.show_keys(), ("F1",), "this sheet"),
            ActionSpec("&Manual", lambda w: w.show_manual(), ("Shift+F1",)),
            ActionSpec("&Words", lambda w: w.show_words()),
            ActionSpec("&About", lambda w: w.about()),
        ),
    ),
)  # fmt: skip


def make_actions(window: MainWindow) -> dict[str, QAction]:
    """Fill a window's menu bar; the actions that have a name, by it."""
    named: dict[str, QAction] = {}
    for text, entries in MENUS:
        _fill(window, window.menuBar().addMenu(text), entries, named)
    return named


def _fill(window: MainWindow, menu: QMenu, entries: tuple[Entry, ...], named: dict[str, QAction]) -> None:
    for entry in entries:
        if entry is None:
            menu.addSeparator()
        elif isinstance(entry, SubMenu):
            inner = menu.addMenu(entry.text)
            if entry.fill is not None:
                inner.aboutToShow.connect(lambda fill=entry.fill, inner=inner: fill(window, inner))
            _fill(window, inner, entry.entries, named)
        else:
            action = QAction(entry.text, window)
            action.setShortcuts(shortcuts_of(entry))
            action.triggered.connect(lambda _=False, run=entry.run: run(window))
            menu.addAction(action)
            if entry.name:
                named[entry.name] = action


def shortcuts_of(spec: ActionSpec) -> list[QKeySequence]:
    """An entry's keys; a standard key may be several."""
    found: list[QKeySequence] = []
    for keys in spec.keys:
        found += [QKeySequence(keys)] if isinstance(keys, str) else QKeySequence.keyBindings(keys)
    return found


def sheet_rows() -> Iterator[tuple[str, str]]:
    """Every entry that has keys: the usual ones, and what they do."""
    for _, entries in MENUS:
        yield from _rows(entries)


def _rows(entries: tuple[Entry, ...]) -> Iterator[tuple[str, str]]:
    for entry in entries:
        if isinstance(entry, SubMenu):
            yield from _rows(entry.entries)
        elif entry is not None and (keys := shortcuts_of(entry)):
            text = entry.text.replace("&", "").rstrip("…")
            yield keys[0].toString(QKeySequence.SequenceFormat.NativeText), entry.sheet or text[0].lower() + text[1:]
