"""What the bench worker writes down, in a form that can wait on disk while the database is away.

An entry that was written may come a second time, after a worker was killed in the middle: it then changes nothing.
"""

from __future__ import annotations

import base64
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any, ClassVar

from stand.live import notifications
from stand.models import ENDED, Chunk, Command, CommandState, Link, Pull, PullState
from stand.weather import service as weather
from stand.worker import pull_records
from stand.worker.pull_records import HelloFacts, MeanAir


class JournalEntry:
    """One thing to write. `lasting` ones wait for the database, the others are worth nothing later."""

    lasting: ClassVar[bool] = True

    def write(self) -> None:
        raise NotImplementedError


@dataclass(frozen=True)
class PullGuarded(JournalEntry):
    """What guards a pull: [key, value in SI] of each limit."""

    pull: int
    limits: Sequence[Sequence[Any]]

    def write(self) -> None:
        Pull.objects.filter(pk=self.pull, state=PullState.ARMED).update(active_limits=self.limits)


@dataclass(frozen=True)
class PullBegan(JournalEntry):
    """`values` are those of the channels when the sweep began, SI: what the next pull is to begin like."""

    pull: int
    at: datetime
    facts: HelloFacts
    values: Mapping[str, float]

    def write(self) -> None:
        pull = Pull.objects.select_related("session__stand").get(pk=self.pull)
        if pull.state == PullState.ARMED:
            pull_records.begin_pull(pull, self.facts, self.at, self.values)


@dataclass(frozen=True)
class SamplesRecorded(JournalEntry):
    """Samples of a running pull: rows of (time, channels...) as float64."""

    pull: int
    sequence: int
    samples: int
    data: bytes

    def write(self) -> None:
        if Pull.objects.filter(pk=self.pull, state=PullState.RUNNING).exists():
            chunk = Chunk(pull_id=self.pull, sequence=self.sequence, samples=self.samples, data=self.data)
            Chunk.objects.bulk_create([chunk], ignore_conflicts=True)


@dataclass(frozen=True)
class PullEnded(JournalEntry):
    pull: int
    state: str
    why: str
    at: datetime
    lost: int = 0
    air: MeanAir | None = None
    tripped: str = ""

    def write(self) -> None:
        pull = Pull.objects.select_related("session__stand").get(pk=self.pull)
        if pull.state not in ENDED:
            state = PullState(self.state)
            pull_records.end_pull(pull, state, self.why, self.at, lost=self.lost, air=self.air, tripped=self.tripped)
        else:
            pull_records.derive(pull)  # the database may have gone away between the record and what follows from it


@dataclass(frozen=True)
class CommandAnswered(JournalEntry):
    command: int
    ok: bool
    why: str

    def write(self) -> None:
        command = Command.objects.select_related("stand").get(pk=self.command)
        if command.state == CommandState.WAITING:
            pull_records.answer_command(command, self.ok, self.why)


@dataclass(frozen=True)
class WeatherReported(JournalEntry):
    stand: int
    at: datetime
    air: MeanAir

    def write(self) -> None:
        air = self.air
        weather.log_stand(self.stand, air.barometer, air.temperature, air.relative_humidity, self.at)


@dataclass(frozen=True)
class UnaskedSweep(JournalEntry):
    """A sweep that nobody had armed here: it is noted, because no record of it is kept."""

    stand: int
    at: datetime

    def write(self) -> None:
        pull_records.note_unasked_sweep(self.stand, self.at)


@dataclass(frozen=True)
class LinkState(JournalEntry):
    """What the link knows now."""

    stand: int
    at: datetime
    fields: Mapping[str, Any]
    lasting = False

    def write(self) -> None:
        Link.objects.update_or_create(stand_id=self.stand, defaults={**self.fields, "beat_at": self.at})


@dataclass(frozen=True)
class BrowserMessage(JournalEntry):
    """A message to the browsers."""

    message: Mapping[str, Any]
    lasting = False

    def write(self) -> None:
        notifications.notify(notifications.FRAMES, dict(self.message))


KINDS: dict[str, type[JournalEntry]] = {  # by their names on disk, where an older Torvix may have left some
    "Guarded": PullGuarded, "Began": PullBegan, "Recorded": SamplesRecorded, "Ended": PullEnded,
    "Answered": CommandAnswered, "Weathered": WeatherReported, "Unasked": UnaskedSweep,
}  # fmt: skip
KIND_OF = {kind: name for name, kind in KINDS.items()}


def to_line(entry: JournalEntry) -> bytes:
    """A lasting entry as a line of JSON."""
    fields = {"kind": KIND_OF[type(entry)], **asdict(entry)}  # type: ignore[call-overload]
    return json.dumps(fields, default=_as_text, separators=(",", ":")).encode() + b"\n"


def from_line(line: bytes) -> JournalEntry:
    """The entry of a line. ValueError for one that is cut off or is none."""
    try:
        fields = json.loads(line)
        kind = KINDS[fields.pop("kind")]
        if "at" in fields:
            fields["at"] = datetime.fromisoformat(fields["at"])
        if fields.get("air"):
            fields["air"] = MeanAir(**fields["air"])
        if "facts" in fields:
            fields["facts"] = HelloFacts(**fields["facts"])
        if "data" in fields:
            fields["data"] = base64.b64decode(fields["data"], validate=True)
        return kind(**fields)
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError(f"no entry: {error}") from error


def _as_text(value: object) -> str:
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, bytes):
        return base64.b64encode(value).decode()
    raise TypeError(f"cannot keep {type(value).__name__} on disk")
