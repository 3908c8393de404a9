"""What an archive would bring, and how it is to be read in."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from curves.archive.preview import ImportPreview, PreviewedPart
from curves.models import ArchiveUpload
from jobs.models import OVER
from jobs.schemas import JobOut, job_out
from shop.schema import Schema

LONGEST_NAME = {"test": 200, "engine": 100, "shop": 40}  # a question; a name; what stands behind a name that is taken


class PartBroughtOut(Schema):
    """`same`: this shop has it, the same in every value; `here`: one of that name, and the file's gets another."""

    name: str
    here: bool
    same: bool


class TestBroughtOut(Schema):
    """`here_id` and `here_question`: the test of this shop that is the same."""

    question: str
    engine: str
    pulls: int
    here_id: int | None
    here_question: str


class BringingOut(Schema):
    """`id` is of the upload; `kind` test, engine or shop; `recordings_of` tests that read some of its files."""

    id: int
    kind: str
    name: str
    longest_name: int
    tests: list[TestBroughtOut]
    engines: list[PartBroughtOut]
    parts: list[PartBroughtOut]
    recordings_of: list[str]


class UploadOut(Schema):
    """A file that was brought and is not imported; `job`: that imports it now."""

    id: int
    name: str
    by: str
    at: datetime
    job: JobOut | None


class ArchiveReadingIn(Schema):
    """`name`: question of the test, name of the engine, or what stands behind a name that is taken."""

    name: Annotated[str, Field(max_length=200)] = ""
    use_own: bool = False
    skip_known: bool = True


def upload_out(upload: ArchiveUpload) -> UploadOut:
    job = upload.job if upload.job and upload.job.state not in OVER else None
    return UploadOut(id=upload.pk, name=upload.name, by=str(upload.by), at=upload.at, job=job_out(job) if job else None)


def bringing_out(upload: ArchiveUpload, found: ImportPreview) -> BringingOut:
    return BringingOut(
        id=upload.pk, kind=found.kind, name=found.name, longest_name=LONGEST_NAME[found.kind],
        tests=[
            TestBroughtOut(
                question=one.question, engine=one.engine, pulls=one.pulls, here_id=one.here.pk if one.here else None,
                here_question=one.here.question if one.here else "",
            )
            for one in found.tests
        ],
        engines=[_part(one) for one in found.engines], parts=[_part(one) for one in found.parts],
        recordings_of=list(found.recordings_of),
    )  # fmt: skip


def _part(one: PreviewedPart) -> PartBroughtOut:
    return PartBroughtOut(name=one.name, here=one.here, same=one.same_as is not None)
