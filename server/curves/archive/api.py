"""Files to take along: raw samples, reduced curves, a whole programme; and a programme read back in."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterator
from typing import IO

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Router, Status
from ninja.files import UploadedFile

from curves.archive import exports, read_zip, unpack, uploads, write_zip
from curves.archive.preview import ImportPreview
from curves.archive.read_zip import ReadingChoice
from curves.archive.schemas import ArchiveReadingIn, BringingOut, UploadOut, bringing_out, upload_out
from curves.archive.scope import Scope
from curves.files.table import FileProblem
from curves.models import ArchiveUpload
from curves.reduction.nature import head_of, nature_of
from curves.reduction.standard import standard_asked
from engines.models import Engine
from jobs.schemas import JobOut, job_out
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, require_operator, units_of
from shop.refusals import Invalid
from stand.models import Pull

router = Router(tags=["files"])


PIECE = 4_000_000  # bytes of an upload that are in memory at once


def _programme(person: Person, programme_id: int) -> Programme:
    return get_object_or_404(Programme.objects.visible_to(person).select_related("build"), pk=programme_id)


def _attachment(content: bytes, kind: str, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type=kind)
    _name(answer, name)
    return answer


def _name(answer: HttpResponseBase, name: str) -> None:
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    answer["Cache-Control"] = "private, no-store"


def _streamed(pieces: Iterator[bytes], name: str) -> StreamingHttpResponse:
    """What it takes long to make goes out as it is made."""
    answer = StreamingHttpResponse(_one_after_the_other(pieces), content_type="application/zip")
    _name(answer, name)
    return answer


async def _one_after_the_other(pieces: Iterator[bytes]) -> AsyncIterator[bytes]:
    """In the thread of the request, where its connection to the database is; Django would hold the whole otherwise."""
    try:
        while piece := await sync_to_async(lambda: next(pieces, b""))():
            yield piece
    finally:
        await sync_to_async(pieces.close)()  # type: ignore[attr-defined]


@router.get("/pulls/{pull_id}/raw.{kind}", operation_id="raw_file", response={200: None})
def raw_file(request: HttpRequest, pull_id: int, kind: str) -> HttpResponse:
    """The samples as CSV, MDF4 or Parquet."""
    assert is_person(request.user)
    seen = Pull.objects.filter(session__programme__in=Programme.objects.visible_to(request.user))
    pull = get_object_or_404(seen.select_related("setup", "session__programme"), pk=pull_id)
    content = exports.raw_file(pull, kind)
    name = exports.file_name(
        pull.session.programme.question, "pull", pull.number, head_of(pull.setup.letter, nature_of(pull))
    )
    return _attachment(content, exports.RAW_TYPES[kind], f"{name}.{kind}")


@router.get("/programmes/{programme_id}/curves.{kind}", operation_id="curves_file", response={200: None})
def curves_file(request: HttpRequest, programme_id: int, kind: str, standard: str = "") -> HttpResponse:
    """The reduced curves as CSV or XLSX."""
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    chosen = standard_asked(programme, standard)
    content = exports.curves_file(programme, chosen, units_of(request.user), kind)
    name = exports.file_name(programme.question, chosen)
    return _attachment(content, exports.SHEET_TYPES[kind], f"{name}.{kind}")


@router.get("/programmes/{programme_id}/archive", operation_id="programme_archive", response={200: None})
def take_out(request: HttpRequest, programme_id: int) -> StreamingHttpResponse:
    assert is_person(request.user)
    programme = _programme(request.user, programme_id)
    pieces = write_zip.write(request.user, programme, timezone.now())
    return _streamed(pieces, f"{exports.file_name(programme.question)}.zip")


@router.get("/engines/{engine_id}/archive", operation_id="engine_archive", response={200: None})
def take_out_engine(request: HttpRequest, engine_id: int) -> StreamingHttpResponse:
    """An engine with its revisions, tests and their parts."""
    person = _operator(request)
    scope = Scope(get_object_or_404(Engine.objects.visible_to(person), pk=engine_id))
    return _streamed(write_zip.write_collection(person, scope, timezone.now()), f"{exports.file_name(scope.name)}.zip")


@router.get("/shop/archive", operation_id="shop_archive", response={200: None})
def take_out_shop(request: HttpRequest) -> StreamingHttpResponse:
    """Every engine, part, test and guideline of the shop."""
    assert is_person(request.user)
    scope, at = Scope(None), timezone.now()
    name = exports.file_name(scope.name or "shop", f"{at:%Y-%m-%d}")
    return _streamed(write_zip.write_collection(request.user, scope, at), f"{name}.zip")


@router.post("/archives", response=BringingOut, operation_id="upload_archive")
def upload(request: HttpRequest, file: File[UploadedFile]) -> BringingOut:
    """Keep a zip until it is read in, and what it would bring; nothing of it is made."""
    person, size = _operator(request), file.size or 0
    if size > unpack.LARGEST_COLLECTION:
        raise Invalid("The file is too large.", fields={"file": f"at most {unpack.LARGEST_COLLECTION / 1e9:.0f} GB"})
    assert file.file is not None
    found = _looked_into(person, file.file)
    file.seek(0)
    kept = uploads.keep(person, file.name or "archive.zip", size, file.chunks(PIECE), timezone.now())
    return bringing_out(kept, found)


@router.get("/archives", response=list[UploadOut], operation_id="uploaded_archives")
def list_uploads(request: HttpRequest) -> list[UploadOut]:
    """Files that were brought and not imported, of the last two days."""
    return [upload_out(one) for one in uploads.waiting(_operator(request), timezone.now())]


@router.get("/archives/{upload_id}", response=BringingOut, operation_id="uploaded_archive")
def look_again(request: HttpRequest, upload_id: int) -> BringingOut:
    """What one of them would bring into the shop as it is now."""
    kept = _upload(request, upload_id)
    with uploads.spooled(kept) as file:
        return bringing_out(kept, _looked_into(_operator(request), file))


@router.post("/archives/{upload_id}/read", response=JobOut, operation_id="read_archive")
def read_in(request: HttpRequest, upload_id: int, given: ArchiveReadingIn) -> JobOut:
    """Have it read in by a job; all of it or nothing."""
    person, name = _operator(request), " ".join(given.name.split())
    kept = _upload(request, upload_id)
    choice = ReadingChoice(name, given.use_own, given.skip_known)
    return job_out(uploads.read_in(person, kept, choice, timezone.now()))


@router.delete("/archives/{upload_id}", response={204: None}, operation_id="drop_archive")
def drop(request: HttpRequest, upload_id: int) -> Status[None]:
    """Nobody wants it any more."""
    _upload(request, upload_id).delete()
    return Status(204, None)


def _looked_into(person: Person, file: IO[bytes]) -> ImportPreview:
    try:
        return read_zip.look(person, file)
    except FileProblem as problem:
        raise Invalid(f"Nothing was read: {problem}.", fields={"file": str(problem)}) from problem


def _upload(request: HttpRequest, upload_id: int) -> ArchiveUpload:
    """For who may run tests: the next shift may go on with what one has brought."""
    _operator(request)
    return get_object_or_404(ArchiveUpload, pk=upload_id)


def _operator(request: HttpRequest) -> Person:
    assert is_person(request.user)
    require_operator(request.user)
    return request.user
