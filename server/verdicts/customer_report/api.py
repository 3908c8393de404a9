"""Sheets: how one would look, issuing it, its files, and the links to it."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from curves.archive.exports import SHEET_TYPES, file_name
from programmes.models import Programme
from shop.models import Person
from shop.permissions import is_person
from shop.refusals import Invalid
from verdicts.access import programme_of
from verdicts.customer_report import links, rendering, report
from verdicts.customer_report.chart import CHART_TYPES
from verdicts.customer_report.report import ReportOptions
from verdicts.customer_report.schemas import SheetHtml, SheetIn, SheetLinkIn, SheetLinkOut, SheetOut, link_out
from verdicts.models import Sheet, SheetLink

router = Router(tags=["sheets"])


def _wanted(programme: Programme, given: SheetIn) -> ReportOptions:
    return ReportOptions(
        given.read(programme), given.show_owner, given.show_prices, given.interests, given.remark, given.show_estimates
    )


def _sheet(sheet: Sheet, person: Person) -> SheetOut:
    now, mine = timezone.now(), person.role != "viewer"
    return SheetOut(id=sheet.pk, number=sheet.number, by=str(sheet.by), at=sheet.at, change=sheet.change,
                    links=[link_out(link, now, mine) for link in sheet.links.all()])  # fmt: skip


def _seen_sheet(person: Person, sheet_id: int) -> Sheet:
    seen = Sheet.objects.filter(programme__in=Programme.objects.visible_to(person)).select_related("programme", "by")
    return get_object_or_404(seen, pk=sheet_id)


@router.post("/programmes/{programme_id}/sheet-preview", response=SheetHtml, operation_id="preview_sheet")
def preview(request: HttpRequest, programme_id: int, given: SheetIn) -> SheetHtml:
    """How the sheet would look; nothing is written."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    return SheetHtml(
        html=rendering.html(report.compose(request.user, programme, _wanted(programme, given), timezone.now()))
    )


@router.get("/programmes/{programme_id}/sheets", response=list[SheetOut], operation_id="sheets")
def read_sheets(request: HttpRequest, programme_id: int) -> list[SheetOut]:
    """Every version that was issued, the newest first, with its links."""
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    rows = programme.sheets.defer("document").select_related("by").prefetch_related("links__by")
    return [_sheet(sheet, request.user) for sheet in rows]


@router.post("/programmes/{programme_id}/sheets", response=SheetOut, operation_id="issue_sheet")
def issue(request: HttpRequest, programme_id: int, given: SheetIn) -> SheetOut:
    assert is_person(request.user)
    programme = programme_of(request.user, programme_id)
    made = report.issue(request.user, programme, _wanted(programme, given), given.change, timezone.now())
    return _sheet(made, request.user)


@router.get("/sheets/{sheet_id}/html", response=SheetHtml, operation_id="sheet_html")
def read_html(request: HttpRequest, sheet_id: int) -> SheetHtml:
    """A sheet as it was issued."""
    assert is_person(request.user)
    sheet = _seen_sheet(request.user, sheet_id)
    return SheetHtml(html=rendering.html(sheet.document, report.history_of(sheet)))


@router.get("/sheets/{sheet_id}/sheet.{kind}", operation_id="sheet_file", response={200: None})
def sheet_file(request: HttpRequest, sheet_id: int, kind: str) -> HttpResponse:
    """PDF, or the table as CSV or XLSX."""
    assert is_person(request.user)
    sheet = _seen_sheet(request.user, sheet_id)
    if kind == "pdf":
        content, content_type = rendering.pdf(sheet.document, report.history_of(sheet)), "application/pdf"
    elif kind in CHART_TYPES:
        content, content_type = rendering.charts_file(sheet.document, kind), CHART_TYPES[kind]
    elif kind in SHEET_TYPES:
        content, content_type = rendering.table_file(sheet.document, kind), SHEET_TYPES[kind]
    else:
        raise Invalid(
            "There is no such kind of file.", fields={"kind": f"one of pdf, {', '.join([*CHART_TYPES, *SHEET_TYPES])}"}
        )
    answer = HttpResponse(content, content_type=content_type)
    name = file_name(sheet.document["question"], "version", sheet.number)
    answer["Content-Disposition"] = f'attachment; filename="{name}.{kind}"'
    answer["Cache-Control"] = "private, no-store"
    return answer


@router.post("/sheets/{sheet_id}/links", response=SheetLinkOut, operation_id="give_link")
def give_link(request: HttpRequest, sheet_id: int, given: SheetLinkIn) -> SheetLinkOut:
    assert is_person(request.user)
    now = timezone.now()
    return link_out(
        links.give(request.user, _seen_sheet(request.user, sheet_id), given.days, given.recipient, now), now, True
    )


@router.delete("/links/{link_id}", response=SheetLinkOut, operation_id="revoke_link")
def revoke_link(request: HttpRequest, link_id: int) -> SheetLinkOut:
    """The row stays; the link opens nothing any more."""
    assert is_person(request.user)
    seen = SheetLink.objects.filter(sheet__programme__in=Programme.objects.visible_to(request.user))
    link, now = get_object_or_404(seen.select_related("by"), pk=link_id), timezone.now()
    return link_out(links.revoke(request.user, link, now), now, True)
