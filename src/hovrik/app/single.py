"""One window a notebook: a second start of the same file shows the window there is, and hands it what was brought."""

from __future__ import annotations

import contextlib
import os
import socket
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from .knock import HEARD, MOST_BYTES, OPEN, PRESS, SHOW, address_of, is_ours, is_planted


class Doorbell(QObject):
    """Heard by the window of a notebook. Signals: rung (to come to the front), pressed (a key of a blind test), brought
    (path of a file to open)."""

    rung = pyqtSignal()
    pressed = pyqtSignal()
    brought = pyqtSignal(object)

    def __init__(self, path: Path, parent: QObject) -> None:
        super().__init__(parent)
        self._callers: dict[QLocalSocket, bytes] = {}
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_rung)
        place = address_of(path)
        if place is None:
            return  # said already: the window opens all the same
        if is_planted(place):
            with contextlib.suppress(OSError):  # our folder: whatever was put there has no business in it
                place.unlink()
        if not self._server.listen(str(place)):  # left by a process that was killed: nobody answered above
            QLocalServer.removeServer(str(place))
            self._server.listen(str(place))

    def _on_rung(self) -> None:
        while (caller := self._server.nextPendingConnection()) is not None:
            if not _is_of_this_user(caller):
                caller.abort()
                caller.deleteLater()
                continue
            self._callers[caller] = b""  # held here, or Python's collector takes it with its slots
            caller.readyRead.connect(self._hear)
            caller.disconnected.connect(self._hear)
        self._hear()

    def _hear(self) -> None:
        """What callers have said in full, and that those are gone who said nothing."""
        for caller in list(self._callers):
            said = self._callers[caller] + bytes(caller.read(MOST_BYTES) or b"")
            self._callers[caller] = said[:MOST_BYTES]
            is_gone = caller.state() is QLocalSocket.LocalSocketState.UnconnectedState
            if b"\n" not in said and len(said) < MOST_BYTES and not is_gone:
                continue
            del self._callers[caller]
            if self._tell(said) and not is_gone:
                caller.write(HEARD)
                caller.flush()
            caller.disconnectFromServer()
            caller.deleteLater()

    def _tell(self, said: bytes) -> bool:
        """Whether it was something to hear."""
        if said == PRESS:
            self.pressed.emit()
        elif said.startswith(OPEN) and said.endswith(b"\n") and b"\0" not in said:
            self.brought.emit(Path(os.fsdecode(said[len(OPEN) : -1])))
        elif said == SHOW:
            self.rung.emit()
        else:  # half a word, or of a program that knows more
            return False
        return True

    def close(self) -> None:
        """Hear nothing more."""
        self._server.close()


def _is_of_this_user(caller: QLocalSocket) -> bool:
    handle = int(caller.socketDescriptor())
    if handle < 0:
        return False
    try:
        with socket.socket(fileno=os.dup(handle)) as own:
            return is_ours(own)
    except OSError:
        return False
