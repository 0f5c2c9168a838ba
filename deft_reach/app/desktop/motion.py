"""How much moves on the screen while a plan is played: as the desktop says, or as the player chose.

Nothing in the app moves by itself. While a plan is played, the arms either go their way frame by frame, or stand
where each stroke puts them until the next one.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Final

from PySide6.QtCore import QObject

if TYPE_CHECKING:
    from PySide6.QtDBus import QDBusPendingCallWatcher

CHOICES: Final = ("system", "flowing", "steps")
PORTAL: Final = "org.freedesktop.portal.Desktop"
#: What the desktop is asked: namespace and key of a setting, and the value that asks for less motion.
ASKED: Final = (
    ("org.freedesktop.appearance", "reduced-motion", 1),
    ("org.gnome.desktop.interface", "enable-animations", False),
)
#: A desktop that says nothing for so long (ms) has no wish.
PATIENCE_MS: Final = 1_000


class DesktopMotion(QObject):
    """Asks the desktop, without waiting for it; ``told`` is called if it wants less motion."""

    def __init__(self, parent: QObject, told: Callable[[], object]) -> None:
        super().__init__(parent)
        self._told = told
        self._waiting: list[QDBusPendingCallWatcher] = []

    def ask(self) -> None:
        """Ask, where there is a session bus at all."""
        if not os.environ.get("DBUS_SESSION_BUS_ADDRESS"):
            return
        from PySide6.QtDBus import QDBusConnection, QDBusMessage, QDBusPendingCallWatcher

        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return
        for namespace, key, wanted in ASKED:
            question = QDBusMessage.createMethodCall(
                PORTAL, "/org/freedesktop/portal/desktop", "org.freedesktop.portal.Settings", "ReadOne"
            )
            question.setArguments([namespace, key])
            watcher = QDBusPendingCallWatcher(bus.asyncCall(question, PATIENCE_MS), self)
            watcher.finished.connect(lambda call, wanted=wanted: self._answered(call, wanted))
            self._waiting.append(watcher)

    def _answered(self, call: QDBusPendingCallWatcher, wanted: object) -> None:
        if not call.isError() and wants_less(call.reply().arguments(), wanted):
            self._told()
        call.deleteLater()


def wants_less(arguments: list[Any], wanted: object) -> bool:
    """Whether an answer of the portal, a value inside variants, asks for less motion."""
    found: Any = arguments[0] if arguments else None
    while hasattr(found, "variant"):
        found = found.variant()
    return found is not None and found == wanted and isinstance(found, bool) == isinstance(wanted, bool)
