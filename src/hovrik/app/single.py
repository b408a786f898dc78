"""One window a notebook: a second start of the same file shows the window there is."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from .knock import PRESS, name_of

MOST_BYTES = 64  # of what is said; no more is heard


class Doorbell(QObject):
    """Heard by the window of a notebook. Signals: rung (to come to the front), pressed (a key of a blind test)."""

    rung = pyqtSignal()
    pressed = pyqtSignal()

    def __init__(self, path: Path, parent: QObject) -> None:
        super().__init__(parent)
        self._callers: list[QLocalSocket] = []
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_rung)
        if not self._server.listen(name_of(path)):  # left by a process that was killed: nobody answered above
            QLocalServer.removeServer(name_of(path))
            self._server.listen(name_of(path))

    def _on_rung(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            self._callers.append(socket)  # held here, or Python's collector takes it with its slots
            socket.readyRead.connect(self._hear)
            socket.disconnected.connect(self._hear)
        self._hear()

    def _hear(self) -> None:
        """What callers have said, and that those are gone who said nothing."""
        for socket in list(self._callers):
            said = bytes(socket.read(MOST_BYTES) or b"")
            if not said and socket.state() is not QLocalSocket.LocalSocketState.UnconnectedState:
                continue
            self._callers.remove(socket)
            socket.deleteLater()
            (self.pressed if said == PRESS else self.rung).emit()

    def close(self) -> None:
        """Hear nothing more."""
        self._server.close()
