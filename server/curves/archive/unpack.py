"""A zip that somebody brings: bounded before anything of it is believed, and read from where it lies."""

from __future__ import annotations

import json
import zipfile
import zlib
from typing import IO, Any

from curves.archive import older_versions
from curves.archive.tables import (
    COLLECTION,
    COLLECTION_FORMAT,
    COLLECTION_VERSION,
    FORMAT,
    FORMAT_VERSION,
    LIBRARY_RECORD,
    RECORD,
    SHOP_RECORD,
)
from curves.files.table import FileProblem
from shop.texts import unkept

LARGEST = 500_000_000  # bytes of the zip of one test
LARGEST_INSIDE = 2_000_000_000  # of all that is read of one test
LARGEST_RECORD = 100_000_000
LARGEST_ENTRY = 150_000_000
MOST_ENTRIES = 20_000
LARGEST_COLLECTION = 20_000_000_000
MOST_ENTRIES_OF_COLLECTION = 1_000_000
DAMAGED = (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError)


class Entries:
    """What lies in a folder of the zip beside its record. Only what the record names is unpacked, and bounded."""

    def __init__(self, archive: zipfile.ZipFile, folder: str = "") -> None:
        self.archive, self.folder = archive, folder
        self.unpacked = 0

    def get(self, name: Any) -> bytes | None:
        """None where there is no such entry. What a zip says of its sizes is not believed."""
        if not isinstance(name, str) or name in (RECORD, LIBRARY_RECORD, SHOP_RECORD, COLLECTION):
            return None
        try:
            with self.archive.open(f"{self.folder}{name}") as entry:
                content = entry.read(LARGEST_ENTRY + 1)
        except KeyError:
            return None
        except DAMAGED as error:
            raise FileProblem(f"{name[:80]} in the zip is damaged ({error})") from error
        self.unpacked += len(content)
        if len(content) > LARGEST_ENTRY or self.unpacked > LARGEST_INSIDE:
            raise FileProblem(f"{name[:80]} unpacks to far more than a test holds: nothing is read")
        return content


class ArchiveFile:
    """A zip of one test, or of many with a list of what is in it. FileProblem says what is wrong with it."""

    def __init__(self, file: IO[bytes]) -> None:
        file.seek(0, 2)
        self.size = file.tell()
        self.manifest: dict[str, Any] | None = None
        if self.size > LARGEST_COLLECTION:
            raise FileProblem(f"it is {self.size / 1e9:.0f} GB; at most {LARGEST_COLLECTION / 1e9:.0f} GB are read")
        try:
            self.archive = zipfile.ZipFile(file)
        except DAMAGED as error:
            raise FileProblem(f"the zip is damaged or cut off ({error})") from error
        is_collection = self.holds(COLLECTION)
        if not is_collection and self.size > LARGEST:
            raise FileProblem(f"it is {self.size / 1e6:.0f} MB; at most {LARGEST / 1e6:.0f} MB are read")
        if len(self.archive.infolist()) > (MOST_ENTRIES_OF_COLLECTION if is_collection else MOST_ENTRIES):
            raise FileProblem("it holds far more than a test does: it is not read")
        if is_collection:
            self.manifest = self._collection()
        elif not self.holds(RECORD):
            raise FileProblem(f"it holds no {RECORD}: it is no file that was saved here")

    def _collection(self) -> dict[str, Any]:
        found = self._json(COLLECTION)
        if found.get("format") != COLLECTION_FORMAT or not isinstance(found.get("tests"), list):
            raise FileProblem("it is no file that was saved here")
        if found.get("version") != COLLECTION_VERSION:
            raise FileProblem(f"it is of version {found.get('version')!r}; version {COLLECTION_VERSION} is read here")
        texts = ("folder", "question", "engine", "created_at", "identity")
        for at, test in enumerate(found["tests"], start=1):
            if not isinstance(test, dict) or not all(isinstance(test.get(key), str) for key in texts):
                raise FileProblem(f"row {at} of the tests in its {COLLECTION} is not whole")
        return found

    def record(self, name: str = RECORD, folder: str = "") -> dict[str, Any]:
        """A record of the zip, its tables under the names of today."""
        record = self._json(f"{folder}{name}")
        if record.get("format") != FORMAT:
            raise FileProblem("it is no file that was saved here")
        version = record.get("version")
        if not isinstance(version, int) or not older_versions.OLDEST <= version <= FORMAT_VERSION:
            known = f"{older_versions.OLDEST} to {FORMAT_VERSION}"
            raise FileProblem(f"it is of version {version!r}; versions {known} are read here")
        if not isinstance(record.get("tables"), dict):
            raise FileProblem(f"its {folder}{name} has no tables")
        return {**record, "tables": older_versions.newest(record["tables"], version)}

    def holds(self, name: str) -> bool:
        return name in self.archive.NameToInfo

    def entries(self, folder: str = "") -> Entries:
        return Entries(self.archive, folder)

    def _json(self, name: str) -> dict[str, Any]:
        try:
            with self.archive.open(name) as entry:
                text = entry.read(LARGEST_RECORD + 1)
            if len(text) > LARGEST_RECORD or len(text) > 500 * max(self.size, 100_000):
                raise FileProblem(f"its {name} unpacks to far more than a test holds: it is not read")
            record = json.loads(text, parse_constant=_no_constant)
        except KeyError as error:
            raise FileProblem(f"it holds no {name[:80]}") from error
        except DAMAGED as error:
            raise FileProblem(f"the zip is damaged or cut off ({error})") from error
        except (ValueError, RecursionError) as error:
            raise FileProblem(f"its {name} is no JSON that can be read ({str(error)[:120]})") from error
        if not isinstance(record, dict):
            raise FileProblem("it is no file that was saved here")
        if (place := next(unkept(record), None)) is not None:
            raise FileProblem(f"its {name} holds a character that cannot be kept, at {place.strip('.')[:120]}")
        return record


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number")
