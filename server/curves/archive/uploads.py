"""Archives that somebody brought: kept in pieces until a job has read them in, or nobody wants them any more."""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict
from datetime import datetime, timedelta
from typing import IO, Any

from django.db import transaction
from django.utils import timezone

from curves.archive import read_zip
from curves.archive.read_zip import ReadingChoice
from curves.archive.row_reader import NotWanted
from curves.files.table import FileProblem
from curves.models import ArchivePiece, ArchiveUpload
from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue, Watch
from jobs.models import OVER, Job
from jobs.service import Unusable
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Refusal

KIND = "read_archive"
KEPT = timedelta(days=2)  # an upload that nobody reads in


@transaction.atomic
def keep(person: Person, name: str, size: int, pieces: Iterable[bytes], at: datetime) -> ArchiveUpload:
    """Piece by piece, as it comes; what lay here for days goes."""
    require_operator(person)
    ArchiveUpload.objects.filter(at__lt=at - KEPT).delete()
    plain = "".join(letter for letter in name if letter.isprintable())[:200] or "archive.zip"
    upload = ArchiveUpload.objects.create(name=plain, size=size, by=person, at=at)
    for position, data in enumerate(pieces):
        ArchivePiece.objects.create(upload=upload, position=position, data=data)
    return upload


def waiting(person: Person, at: datetime) -> list[ArchiveUpload]:
    """The newest first, so that a window that was closed finds it, and the next shift; not what another imports."""
    require_operator(person)
    lying = ArchiveUpload.objects.filter(at__gte=at - KEPT).select_related("by", "job")
    return [one for one in lying if one.job is None or one.job.state in OVER or one.job.asked_by_id == person.pk]


@contextmanager
def spooled(upload: ArchiveUpload) -> Iterator[IO[bytes]]:
    """The whole of it as a file of this machine, which is gone afterwards."""
    with tempfile.TemporaryFile() as file:
        for piece in upload.pieces.values_list("data", flat=True).iterator(chunk_size=1):
            file.write(bytes(piece))
        yield file


def read_in(person: Person, upload: ArchiveUpload, choice: ReadingChoice, at: datetime) -> Job:
    """Have it read by a job. Refusal while one is at it."""
    require_operator(person)
    if jobs.is_going_on(upload.job_id):
        raise Refusal("This file is being read now. Wait for the end, or stop it.", code="archive_is_read")
    asked = {"upload": upload.pk, "by": person.pk, **asdict(choice)}
    job = jobs.ask(person, KIND, f"archive {upload.pk}", asked, at, about=upload.name)
    upload.job = job
    upload.save(update_fields=["job"])
    return job


def work(arguments: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """All of it or nothing; what was read is not kept as a file."""
    upload = ArchiveUpload.objects.filter(pk=arguments["upload"]).first()
    person = Person.objects.filter(pk=arguments["by"]).first()
    if upload is None or person is None:
        raise Unusable("The file is not here any more. Choose it again.")
    choice = ReadingChoice(arguments["name"], arguments["use_own"], arguments["skip_known"])
    try:
        with spooled(upload) as file:
            read = read_zip.read(person, file, timezone.now(), choice, watch)
    except NotWanted:
        return {}
    except FileProblem as problem:
        raise Unusable(f"Nothing was read: {problem}.") from problem
    except Refusal as refusal:
        raise Unusable(str(refusal)) from refusal
    except OSError as error:
        raise Unusable(f"Nothing was read: the worker cannot keep the file ({error.strerror}).") from error
    upload.delete()
    return {"programmes": list(read.programmes), "skipped": read.skipped}


kinds.register(KIND, "Tests read in from a file", Queue.LONG, work)
