"""What a link shows: one sheet as a page, PDF or table, without signing in."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.template.loader import render_to_string
from django.utils import timezone
from django.views.decorators.http import require_safe

from curves.archive.exports import SHEET_TYPES, file_name
from verdicts.customer_report import links, rendering, report
from verdicts.customer_report.chart import CHART_TYPES
from verdicts.customer_report.links import LinkClosed

HEADERS = {"Cache-Control": "private, no-store", "Referrer-Policy": "no-referrer", "X-Robots-Tag": "noindex, nofollow"}


@require_safe
def shared(request: HttpRequest, token: str, kind: str = "") -> HttpResponse:
    """The page of a link, or its PDF, CSV or XLSX."""
    try:
        sheet = links.open_with(token, timezone.now())
    except LinkClosed as closed:
        page = render_to_string("verdicts/link_closed.html", {"told": str(closed)})
        return HttpResponse(page, status=closed.status, headers=HEADERS)
    if not kind:
        whole = rendering.html(sheet.document, report.history_of(sheet), page=True, token=token)
        return HttpResponse(whole, headers=HEADERS)
    if kind == "pdf":
        content, content_type = rendering.pdf(sheet.document, report.history_of(sheet)), "application/pdf"
    elif kind in CHART_TYPES:
        content, content_type = rendering.charts_file(sheet.document, kind), CHART_TYPES[kind]
    elif kind in SHEET_TYPES:
        content, content_type = rendering.table_file(sheet.document, kind), SHEET_TYPES[kind]
    else:
        raise Http404
    answer = HttpResponse(content, content_type=content_type, headers=HEADERS)
    answer["Content-Disposition"] = f'attachment; filename="{file_name(sheet.document["question"])}.{kind}"'
    return answer
