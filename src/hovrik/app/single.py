"""One window a notebook: a second start of the same file shows the window there is."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

WAIT_MS = 500


def name_of(path: Path) -> str:
    """The name of a notebook's socket: this user's, by whatever link the file is reached."""
    own = f"{os.getuid()} {path.resolve()}"
    return f"hovrik-{hashlib.sha256(own.encode('utf-8', 'surrogateescape')).hexdigest()[:24]}"


def show_other(path: Path) -> bool:
    """Have the window that has this notebook open come to the front; whether there is one."""
    socket = QLocalSocket()
    socket.connectToServer(name_of(path))
    if not socket.waitForConnected(WAIT_MS):
        return False
    socket.write(b"show\n")
    socket.waitForBytesWritten(WAIT_MS)
    socket.disconnectFromServer()
    return True


class Doorbell(QObject):
    """Heard by the window of a notebook. Signals: rung."""

    rung = pyqtSignal()

    def __init__(self, path: Path, parent: QObject) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_rung)
        if not self._server.listen(name_of(path)):  # left by a process that was killed: nobody answered above
            QLocalServer.removeServer(name_of(path))
            self._server.listen(name_of(path))

    def _on_rung(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.deleteLater()
            self.rung.emit()

    def close(self) -> None:
        """Hear nothing more."""
        self._server.close()
