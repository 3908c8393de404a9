"""A zip that somebody brings: bounded before anything of it is believed."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from typing import Any

from curves.archive import older_versions
from curves.archive.tables import FORMAT, FORMAT_VERSION, RECORD
from curves.files.table import FileProblem
from shop.texts import unkept

LARGEST = 500_000_000  # bytes of a zip
LARGEST_INSIDE = 2_000_000_000  # of all that is read from one
LARGEST_RECORD = 100_000_000
LARGEST_ENTRY = 150_000_000
MOST_ENTRIES = 20_000


class Entries:
    """What lies in a zip beside its record. Only what the record names is unpacked, one by one, and bounded."""

    def __init__(self, archive: zipfile.ZipFile) -> None:
        self.archive, self.names = archive, set(archive.namelist())
        self.unpacked = 0

    def get(self, name: Any) -> bytes | None:
        """None where there is no such entry. What a zip says of its sizes is not believed."""
        if not isinstance(name, str) or name not in self.names or name == RECORD:
            return None
        try:
            with self.archive.open(name) as entry:
                content = entry.read(LARGEST_ENTRY + 1)
        except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError) as error:
            raise FileProblem(f"{name[:80]} in the zip is damaged ({error})") from error
        self.unpacked += len(content)
        if len(content) > LARGEST_ENTRY or self.unpacked > LARGEST_INSIDE:
            raise FileProblem(f"{name[:80]} unpacks to far more than a test holds: nothing is read")
        return content


def unpacked(content: bytes) -> tuple[dict[str, Any], Entries]:
    if len(content) > LARGEST:
        raise FileProblem(f"it is {len(content) / 1e6:.0f} MB; at most {LARGEST / 1e6:.0f} MB are read")
    try:
        archive = zipfile.ZipFile(io.BytesIO(content))
        if len(archive.infolist()) > MOST_ENTRIES:
            raise FileProblem("it holds far more than a test does: it is not read")
        if RECORD not in archive.namelist():
            raise FileProblem(f"it holds no {RECORD}: it is not a test that was saved here")
        with archive.open(RECORD) as entry:
            text = entry.read(LARGEST_RECORD + 1)
        if len(text) > LARGEST_RECORD or len(text) > 500 * max(len(content), 100_000):
            raise FileProblem(f"its {RECORD} unpacks to far more than a test holds: it is not read")
        record = json.loads(text, parse_constant=_no_constant)
    except (zipfile.BadZipFile, zlib.error, OSError, EOFError, NotImplementedError, RuntimeError) as error:
        raise FileProblem(f"the zip is damaged or cut off ({error})") from error
    except (ValueError, RecursionError) as error:
        raise FileProblem(f"its {RECORD} is no JSON that can be read ({str(error)[:120]})") from error
    if not isinstance(record, dict) or record.get("format") != FORMAT:
        raise FileProblem("it is not a test that was saved here")
    version = record.get("version")
    if not isinstance(version, int) or not older_versions.OLDEST <= version <= FORMAT_VERSION:
        known = f"{older_versions.OLDEST} to {FORMAT_VERSION}"
        raise FileProblem(f"it is of version {version!r}; versions {known} are read here")
    if not isinstance(record.get("tables"), dict):
        raise FileProblem(f"its {RECORD} has no tables")
    if (place := next(unkept(record), None)) is not None:
        raise FileProblem(f"its {RECORD} holds a character that cannot be kept, at {place.strip('.')[:120]}")
    return {**record, "tables": older_versions.newest(record["tables"], version)}, Entries(archive)


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no number")
