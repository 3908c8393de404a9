"""Files to take along: raw samples, reduced curves, a whole programme; and a programme read back in."""

from __future__ import annotations

from collections.abc import AsyncIterator, Iterator, Sequence
from contextlib import contextmanager
from typing import IO

from asgiref.sync import sync_to_async
from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import File, Form, Router
from ninja.files import UploadedFile

from curves.archive import exports, read_zip, unpack, write_zip
from curves.archive.preview import PreviewedTest
from curves.archive.read_zip import ReadingChoice
from curves.archive.schemas import BringingOut, PartBroughtOut, ReadBackOut
from curves.archive.scope import Scope
from curves.files.table import FileProblem
from curves.reduction.nature import head_of, nature_of
from curves.reduction.standard import standard_asked
from engines.models import Engine
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person, require_operator, units_of
from shop.refusals import Invalid
from stand.models import Pull

router = Router(tags=["files"])


LONGEST_QUESTION = 200  # as the column holds


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


@router.post("/archives/look", response=BringingOut, operation_id="look_into_archive")
def look_into(request: HttpRequest, file: File[UploadedFile]) -> BringingOut:
    """What a zip of one test would bring; nothing is written."""
    with _said_of_the_file():
        found = read_zip.look(_operator(request), _content(file))
        test = _only(found.tests)
    return BringingOut(
        question=test.question, engine=test.engine, pulls=test.pulls,
        engine_here=any(engine.here for engine in found.engines),
        parts=[PartBroughtOut(name=part.name, here=part.here, same=part.same_as is not None) for part in found.parts],
    )  # fmt: skip


@router.post("/archives", response=ReadBackOut, operation_id="read_archive")
def read_back(
    request: HttpRequest, file: File[UploadedFile], question: Form[str] = "", link_parts: Form[bool] = False
) -> ReadBackOut:
    """A test from its zip; all of it or nothing."""
    person, plain = _operator(request), " ".join(question.split())
    if len(plain) > LONGEST_QUESTION:
        raise Invalid("The question is too long.", fields={"question": f"at most {LONGEST_QUESTION} letters"})
    with _said_of_the_file():
        content = _content(file)
        _only(read_zip.look(person, content).tests)
        (made,) = read_zip.read(person, content, timezone.now(), ReadingChoice(plain, link_parts)).programmes
    return ReadBackOut(id=made, question=Programme.objects.get(pk=made).question)


def _only(tests: Sequence[PreviewedTest]) -> PreviewedTest:
    if len(tests) != 1:
        raise FileProblem(f"it holds {len(tests)} tests where one belongs")
    return tests[0]


def _content(file: UploadedFile) -> IO[bytes]:
    if (file.size or 0) > unpack.LARGEST:
        raise Invalid("The file is too large.", fields={"file": f"at most {unpack.LARGEST / 1e6:.0f} MB"})
    assert file.file is not None
    return file.file


@contextmanager
def _said_of_the_file() -> Iterator[None]:
    try:
        yield
    except FileProblem as problem:
        message = str(problem)
        raise Invalid(f"Nothing was read: {message}.", fields={"file": message}) from problem


def _operator(request: HttpRequest) -> Person:
    assert is_person(request.user)
    require_operator(request.user)
    return request.user
