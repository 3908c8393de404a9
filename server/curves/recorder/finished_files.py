"""Which files of a folder a recorder has finished: the one sign of it is that a file stays as it is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

QUIET_S = 3.0  # a file that has not changed for so long is finished: recorders write at least each second [prac]
UNFINISHED = (".tmp", ".part", ".partial", ".crdownload", ".lock", ".bak", "~")


@dataclass(frozen=True)
class FileMark:
    """By which a file is the same as a moment ago."""

    size: int
    changed_ns: int


@dataclass
class FinishedFiles:
    """Looks again and again, and gives each file once for each state in which it was finished."""

    folder: Path
    quiet_s: float = QUIET_S
    _seen: dict[Path, tuple[FileMark, float]] = field(default_factory=dict)  # and since when it is so
    _given: dict[Path, FileMark] = field(default_factory=dict)

    def look(self, now_s: float, since_s: float) -> Iterator[Path]:
        """Files that changed last after `since_s` of the file system's clock and are quiet for long enough.

        `now_s` is of any clock that does not jump. OSError if the folder is away.
        """
        there = {}
        for path in sorted(self.folder.iterdir()):
            if path.name.startswith(".") or path.name.lower().endswith(UNFINISHED) or not path.is_file():
                continue
            try:
                status = path.stat()
            except FileNotFoundError:
                continue  # it was renamed under our eyes
            if status.st_mtime < since_s or status.st_size == 0:
                continue
            mark = FileMark(status.st_size, status.st_mtime_ns)
            before = self._seen.get(path)
            there[path] = before if before and before[0] == mark else (mark, now_s)
        self._seen = there
        for path, (mark, quiet_since) in there.items():
            if now_s - quiet_since >= self.quiet_s and self._given.get(path) != mark:
                yield path
                self._given[path] = mark  # not before it was dealt with: what fails is tried again
