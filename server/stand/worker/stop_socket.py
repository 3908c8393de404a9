"""The second way of a stop: a socket of the machine between web server and bench worker, for when the database is away.

It carries one thing, "stop this stand", so that nothing else can ever come to depend on it.
"""

from __future__ import annotations

import socket
from contextlib import suppress
from pathlib import Path

STOP, DONE = b"stop\n", b"told\n"
WAIT_S = 0.5  # for the worker to say that it told the stand


class StopSocket:
    """The worker's end. `asked` is looked at in every round of its loop."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        with suppress(FileNotFoundError):
            path.unlink()  # of a worker that was killed; the lock on the stand says that there is no other
        self._listening = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._listening.bind(str(path))
        path.chmod(0o600)
        self._listening.listen(8)
        self._listening.setblocking(False)

    def fileno(self) -> int:
        return self._listening.fileno()

    def asked(self) -> list[socket.socket]:
        """Whoever asks for a stop now; each is owed `answer`."""
        found: list[socket.socket] = []
        while True:
            try:
                asking, _ = self._listening.accept()
            except BlockingIOError:
                return found
            found.append(asking)

    @staticmethod
    def answer(asking: socket.socket) -> None:
        with suppress(OSError), asking:
            asking.sendall(DONE)

    def close(self) -> None:
        self._listening.close()
        with suppress(FileNotFoundError):
            self.path.unlink()


def path_of(spool: Path, stand: int) -> Path:
    return spool / f"stand-{stand}.stop"


def ask(spool: Path, stand: int) -> bool:
    """Ask the worker of a stand on this machine to stop it. False where none answers in time."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as asking:
        asking.settimeout(WAIT_S)
        try:
            asking.connect(str(path_of(spool, stand)))
            asking.sendall(STOP)
            return asking.recv(len(DONE)) == DONE
        except OSError:
            return False
