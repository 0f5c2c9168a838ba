"""Signals: how the session tells its views that something has changed, without knowing any of them."""

from __future__ import annotations

import sys
from collections.abc import Callable
from types import MethodType
from typing import ClassVar
from weakref import WeakMethod

Listener = Callable[[], object]


class Signal:
    """Calls its listeners when emitted.

    A listener that fails is reported to ``sys.excepthook``, and the others are called all the same: what one view
    cannot show, the document and the other views must not miss. Methods are held weakly, so a view that goes away
    stops listening by itself; plain functions are held until they are disconnected.

    A toolkit may delete its objects while Python still holds them, for instance in a cycle that is not collected yet.
    ``is_deleted`` tells it of the object a method belongs to; such a method is dropped and not called.
    """

    is_deleted: ClassVar[Callable[[object], bool]] = staticmethod(lambda owner: False)

    def __init__(self) -> None:
        self._listeners: list[WeakMethod[Listener] | Listener] = []

    def connect(self, listener: Listener) -> None:
        self._listeners.append(WeakMethod(listener) if isinstance(listener, MethodType) else listener)

    def drop(self, listener: Listener) -> None:
        """Forget one listener; nothing happens where it does not listen."""
        self._listeners = [
            held for held in self._listeners if (held() if isinstance(held, WeakMethod) else held) != listener
        ]

    def disconnect(self) -> None:
        """Forget every listener."""
        self._listeners.clear()

    def emit(self) -> None:
        """Call every listener that is still there, in the order in which they were connected."""
        for held in list(self._listeners):
            listener = held() if isinstance(held, WeakMethod) else held
            if listener is None or (isinstance(listener, MethodType) and Signal.is_deleted(listener.__self__)):
                # A listener before it may have dropped it.
                if held in self._listeners:
                    self._listeners.remove(held)
            else:
                try:
                    listener()
                except Exception as error:
                    sys.excepthook(type(error), error, error.__traceback__)
