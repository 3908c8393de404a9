"""Handover sheets of a test: what there is, issuing one, its page and PDF."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from curves.archive.exports import file_name
from programmes.models import Programme
from shop.models import Person
from shop.permissions import person_of
from shop.schema import Schema
from verdicts.access import programme_with_parts
from verdicts.customer_report import rendering
from verdicts.handover import sheet
from verdicts.handover.sheet import HandoverOptions
from verdicts.models import HandoverSheet

router = Router(tags=["handover"])


class HandoverIn(Schema):
    """Of which setup; `change` says what is new against the version before, the first needs none."""

    setup_id: int
    show_owner: bool = False
    remark: str = ""
    change: str = ""


class HandoverOut(Schema):
    id: int
    number: int
    setup_id: int
    by: str
    at: datetime
    change: str


class HandoverHtml(Schema):
    html: str


def _out(one: HandoverSheet) -> HandoverOut:
    return HandoverOut(id=one.pk, number=one.number, setup_id=one.setup_id, by=str(one.by), at=one.at,
                       change=one.change)  # fmt: skip


def _seen(person: Person, handover_id: int) -> HandoverSheet:
    seen = HandoverSheet.objects.filter(programme__in=Programme.objects.visible_to(person))
    return get_object_or_404(seen, pk=handover_id)


@router.get("/programmes/{programme_id}/handovers", response=list[HandoverOut], operation_id="handovers")
def read_handovers(request: HttpRequest, programme_id: int) -> list[HandoverOut]:
    """The newest first."""
    programme = get_object_or_404(Programme.objects.visible_to(person_of(request)), pk=programme_id)
    return [_out(one) for one in programme.handovers.defer("document").select_related("by")]


@router.post("/programmes/{programme_id}/handovers", response=HandoverOut, operation_id="issue_handover")
def issue(request: HttpRequest, programme_id: int, given: HandoverIn) -> HandoverOut:
    """Freeze what the engine leaves with in one of its setups."""
    person = person_of(request)
    programme = programme_with_parts(person, programme_id)
    setup = get_object_or_404(programme.setups.all(), pk=given.setup_id)
    wanted = HandoverOptions(given.show_owner, given.remark)
    return _out(sheet.issue(person, programme, setup, wanted, given.change, timezone.now()))


@router.get("/handovers/{handover_id}/html", response=HandoverHtml, operation_id="handover_html")
def read_html(request: HttpRequest, handover_id: int) -> HandoverHtml:
    """A sheet as it was issued."""
    found = _seen(person_of(request), handover_id)
    return HandoverHtml(html=sheet.html(found.document, found.number, found.change))


@router.get("/handovers/{handover_id}/handover.pdf", operation_id="handover_pdf", response={200: None})
def read_pdf(request: HttpRequest, handover_id: int) -> HttpResponse:
    found = _seen(person_of(request), handover_id)
    content = rendering.pdf_of(sheet.html(found.document, found.number, found.change, page=True))
    answer = HttpResponse(content, content_type="application/pdf")
    name = file_name(found.document["question"], "handover", found.number)
    answer["Content-Disposition"] = f'attachment; filename="{name}.pdf"'
    answer["Cache-Control"] = "private, no-store"
    return answer
