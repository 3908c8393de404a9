"""A sheet's document on the screen, on paper and as a table. It adds nothing: what is printed was frozen before."""

from __future__ import annotations

import base64
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.conf import settings
from django.template.loader import render_to_string

from curves.files.write import TableSheet as Table
from curves.files.write import sheet_csv, sheet_xlsx
from verdicts.customer_report import chart
from verdicts.customer_report.number_format import figure
from verdicts.customer_report.setup_marks import mark_of

FONTS = {
    "read": "b612-latin-400-normal", "bold": "b612-latin-700-normal", "text": "source-sans-3-latin-wght-normal",
}  # fmt: skip

# What the fonts' addresses on the page are read against. No address is ever opened: `Fonts` reads the build.
NOWHERE = "file:///"


def html(
    document: Mapping[str, Any], history: Sequence[Mapping[str, Any]] = (), *, page: bool = False, token: str = ""
) -> str:  # fmt: skip
    """The sheet as HTML, for the screen, a link, and the printer; `page`: with all that a page of its own needs."""
    ranking = [{**one, "mark": mark_of(one["position"])} for one in document["ranking"]]
    setups = [{**one, "mark": mark_of(one["position"])} for one in document["setups"]]
    peaks = document.get("peaks")  # reports of format 1 have none
    if peaks:
        peaks = {**peaks, "rows": [{**one, "mark": mark_of(one["position"])} for one in peaks["rows"]]}
    table = {
        "heads": document["table"]["heads"],
        "rows": [[figure(row[0], 0), *(figure(cell) for cell in row[1:])] for row in document["table"]["rows"]],
    }
    shown = {
        **document,
        "ranking": ranking,
        "setups": setups,
        "peaks": peaks,
        "table": table,
        "made_at": datetime.fromisoformat(document["made_at"]),
    }
    curves = chart.svg(document["curves"], document.get("simulated", False))
    return render_to_string(
        "verdicts/sheet_page.html" if page else "verdicts/sheet.html",
        {"sheet": shown, "chart": curves, "history": history, "token": token,
         "fonts": fonts()},
    )  # fmt: skip


def fonts() -> dict[str, str]:
    """Addresses of the faces that a page is set in, by what they are for."""
    return {name: _font(file) for name, file in FONTS.items()}


def _font(name: str) -> str:
    """Address of a font that ships with the application; its own name where the screens are not built."""
    found = sorted((settings.WEB_BUILD / "assets").glob(f"{name}-*.woff2"))
    return f"{settings.STATIC_URL}assets/{found[0].name}" if found else f"{name}.woff2"


def pdf(document: Mapping[str, Any], history: Sequence[Mapping[str, Any]] = ()) -> bytes:
    """The sheet on A4."""
    return pdf_of(html(document, history, page=True))


def pdf_of(whole: str) -> bytes:
    """A whole page of ours on paper. Photographs stand in it; nothing but fonts is fetched."""
    from weasyprint import HTML
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Fonts(URLFetcher):  # type: ignore[misc]  # the package has no types
        """Fonts come from the build that ships with the application; nothing else is fetched, from nowhere."""

        def fetch(self, url: str, headers: Mapping[str, str] | None = None) -> Any:
            if url.startswith("data:image/jpeg;base64,"):
                content = base64.b64decode(url.partition(",")[2])
                return URLFetcherResponse(url, content, {"Content-Type": "image/jpeg"})
            font = settings.WEB_BUILD / "assets" / url.rsplit("/", 1)[-1]
            if font.suffix != ".woff2" or not font.is_file():
                raise ValueError(f"{font.name} is not a font of the application")
            return URLFetcherResponse(url, font.read_bytes(), {"Content-Type": "font/woff2"})

    made: bytes = HTML(string=whole, base_url=NOWHERE, url_fetcher=Fonts()).write_pdf()
    return made


def charts_file(document: Mapping[str, Any], kind: str) -> bytes:
    """The curves of a sheet, SVG or PNG."""
    curves, simulated = document["curves"], document.get("simulated", False)
    return chart.svg(curves, simulated).encode() if kind == "svg" else chart.png(curves, simulated)


def table_file(document: Mapping[str, Any], kind: str) -> bytes:
    """The 100 rpm table of a sheet with the ranking's words, CSV or XLSX."""
    about = [document["question"], document["engine"], document["standard"], *document["headline"], document["method"],
             *(f"{one['letter']}: {one['name']}" for one in document["setups"]), *document["notes"]]  # fmt: skip
    about += document.get("estimates", [])
    heads, rows = list(document["table"]["heads"]), [list(row) for row in document["table"]["rows"]]
    for one in document["curves"].get("estimates", []):
        heads.append(f"{one['label']} {document['curves']['torque_unit']}")
        for row, value in zip(rows, one["torque"], strict=True):
            row.append(value)
    table = Table("Setups", about, heads, rows)
    return sheet_csv(table) if kind == "csv" else sheet_xlsx(table)
