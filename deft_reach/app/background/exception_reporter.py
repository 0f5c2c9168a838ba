"""What nobody foresaw: said in the window instead of being lost on a console that nobody sees."""

from __future__ import annotations

import sys
import traceback
from types import TracebackType

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QApplication

from deft_reach.app.shell.notice import NoticeBar


class ExceptionReporter(QObject):
    """Takes faults from any thread; the notice tells of them, with the details to copy for a report."""

    happened = Signal(str)

    def __init__(self, notice: NoticeBar) -> None:
        super().__init__(notice)
        self.notice = notice
        # Across threads this goes by way of the window's own event loop.
        self.happened.connect(self._tell)

    def watch(self) -> None:
        """From now on."""
        sys.excepthook = self.hook

    def hook(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        sys.__excepthook__(kind, error, trace)
        if not issubclass(kind, KeyboardInterrupt):
            self.happened.emit("".join(traceback.format_exception(kind, error, trace)))

    def _tell(self, details: str) -> None:
        last = details.strip().splitlines()[-1]
        self.notice.say(
            f"Something went wrong that should not have ({last}). Your work is kept; the last step may not have been "
            "done.",
            ("Copy the details", lambda: QApplication.clipboard().setText(details)),
            tone="stop",
        )
