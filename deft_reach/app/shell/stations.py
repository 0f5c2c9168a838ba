"""The stations of the window, in the order of work. Each is imported and made when it is first gone to."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Final, NamedTuple, Protocol

from deft_reach.app.shell.station import Station

if TYPE_CHECKING:
    from deft_reach.app.log.recorder import Recorder
    from deft_reach.app.shell.exchange_controller import ExchangeController
    from deft_reach.app.shell.transport import Transport
    from deft_reach.core.practice.day import Item
    from deft_reach.core.session import Session
    from deft_reach.store.note_maps import NoteMaps
    from deft_reach.store.practice_log import PracticeLog


class Needs(Protocol):
    """What stations are made from."""

    session: Session
    exchange: ExchangeController
    transport: Transport
    log: PracticeLog
    recorder: Recorder
    note_maps: NoteMaps

    def begin_practice(self, item: Item) -> None:
        """Go to where an item of the day is practised."""


class StationSpec(NamedTuple):
    """A station: its name, its title with the mnemonic of its menu entry, and how it is made for a window."""

    name: str
    title: str
    make: Callable[[Needs], Station]


def _kit(window: Needs) -> Station:
    from deft_reach.app.kit.station import KitStation

    station = KitStation(window.session)
    station.bar.bring_in.connect(window.exchange.bring_in_kit)
    station.bar.export.connect(window.exchange.export_kit)
    station.bar.print_floor_plan.connect(window.exchange.print_kit)
    return station


def _write(window: Needs) -> Station:
    from deft_reach.app.write.station import WriteStation

    return WriteStation(window.session, window.note_maps)


def _voice(window: Needs) -> Station:
    from deft_reach.app.voice.station import VoiceStation

    return VoiceStation(window.session)


def _reach(window: Needs) -> Station:
    from deft_reach.app.reach.station import ReachStation

    station = ReachStation(window.session)
    station.paper.addAction("Print…", window.exchange.print_plan)
    station.paper.addAction("Export…", window.exchange.export_plan)
    return station


def _song(window: Needs) -> Station:
    from deft_reach.app.song.station import SongStation

    return SongStation(window.session, window.log, window.transport)


def _climb(window: Needs) -> Station:
    from deft_reach.app.climb.station import ClimbStation

    return ClimbStation(window.session, window.log, window.transport)


def _log(window: Needs) -> Station:
    from deft_reach.app.log.station import LogStation

    return LogStation(window.session, window.log, window.recorder, window.note_maps)


def _today(window: Needs) -> Station:
    from deft_reach.app.today.station import TodayStation

    station = TodayStation(window.session, window.log)
    station.begun.connect(window.begin_practice)
    return station


STATIONS: Final = {
    spec.name: spec
    for spec in (
        StationSpec("kit", "&Kit", _kit),
        StationSpec("write", "&Write", _write),
        StationSpec("voice", "&Voice", _voice),
        StationSpec("reach", "&Reach", _reach),
        StationSpec("song", "&Song", _song),
        StationSpec("climb", "&Climb", _climb),
        StationSpec("log", "&Log", _log),
        StationSpec("today", "Toda&y", _today),
    )
}
