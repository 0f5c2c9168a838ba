"""One window for all files: a file that is opened while a window runs goes to that window.

Both sides meet at a local socket in the state folder, which only its owner can look into. Each display has its own: a
window on a screen that nobody sees must not take what is opened on another. Where the folder's path is too long for a
socket (107 bytes on Linux) every start opens a window of its own.
"""

from __future__ import annotations

import os
import re
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtNetwork import QLocalServer, QLocalSocket
from PySide6.QtWidgets import QApplication

from deft_reach.store.places import state_dir

if TYPE_CHECKING:
    from deft_reach.app.shell.window import MainWindow

#: How long the other side may take to answer (ms): a window that is busy for longer is left alone.
PATIENCE = 1500
#: What a window answers to a file's path.
TAKEN, BUSY = b"taken\n", b"busy\n"
#: More than the longest path there is (bytes).
LONGEST = 8192


def socket_name() -> str:
    """Where the window of this user and display is asked. Raises OSError where nothing can be kept."""
    display = os.environ.get("WAYLAND_DISPLAY") or os.environ.get("DISPLAY") or os.environ.get("QT_QPA_PLATFORM", "")
    return str(state_dir() / f"window-{re.sub(r'[^A-Za-z0-9.]', '_', display)}.socket")


def hand_over(path: Path) -> bool:
    """Let a running window open a file; False where there is none, or none that can take it now."""
    try:
        name = socket_name()
    except OSError:
        return False
    socket = QLocalSocket()
    socket.connectToServer(name)
    if not socket.waitForConnected(PATIENCE):
        return False
    socket.write(os.fsencode(path.absolute()) + b"\n")
    socket.flush()
    while not socket.canReadLine():
        if not socket.waitForReadyRead(PATIENCE):
            return False
    return socket.readLine().data() == TAKEN


class FileReceiver(QObject):
    """Opens in a window the files that later starts of the program were given."""

    def __init__(self, window: MainWindow) -> None:
        super().__init__(window)
        self._window = window
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._connected)

    def listen(self) -> bool:
        """Begin to take files; False where another window does already, or nothing can be kept."""
        try:
            name = socket_name()
        except OSError:
            return False
        there = QLocalSocket()
        there.connectToServer(name)
        if there.waitForConnected(PATIENCE):
            return False
        # What a program that was killed left behind.
        QLocalServer.removeServer(name)
        return self._server.listen(name)

    def close(self) -> None:
        self._server.close()

    def _connected(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda socket=socket: self._read(socket))
            socket.disconnected.connect(socket.deleteLater)
            self._read(socket)

    def _read(self, socket: QLocalSocket) -> None:
        if not socket.canReadLine():
            if socket.bytesAvailable() > LONGEST:
                socket.abort()
            return
        path = Path(os.fsdecode(bytes(socket.readLine().data()).removesuffix(b"\n")))
        # A window that asks something cannot be asked something else.
        free = QApplication.activeModalWidget() is None
        socket.write(TAKEN if free else BUSY)
        socket.flush()
        socket.disconnectFromServer()
        if free:
            # After the answer: opening may ask something, and whoever sent the path is not to wait for that.
            QTimer.singleShot(0, self, lambda: self._open(path))

    def _open(self, path: Path) -> None:
        window = self._window
        window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
        window.raise_()
        window.activateWindow()
        window.documents.open_path(path)
