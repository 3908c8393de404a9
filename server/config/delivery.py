"""How answers travel: the built front end in whole files, and text compressed."""

from __future__ import annotations

from contextlib import closing

from django.http import HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.middleware.gzip import GZipMiddleware
from whitenoise.middleware import WhiteNoiseMiddleware
from whitenoise.responders import StaticFile

TEXT = ("text/html", "text/csv", "text/plain", "application/json", "image/svg+xml")


class BuiltFiles(WhiteNoiseMiddleware):  # type: ignore[misc]  # it has no types
    """Whole files, not streams: under ASGI Django reads a plain file to its end before it sends any of it.

    What `./torvix` compressed beside a file when it was built is what a browser gets that can read it.
    """

    @staticmethod
    def serve(static_file: StaticFile, request: HttpRequest) -> HttpResponse:
        found = static_file.get_response(request.method, request.META)
        body = b""
        if found.file is not None:
            with closing(found.file):
                body = found.file.read()
        answer = HttpResponse(body, status=int(found.status))
        del answer["Content-Type"]
        for name, value in found.headers:
            answer[name] = value
        return answer


class CompressedText(GZipMiddleware):
    """Text and JSON. The live stream must not wait until there is enough to compress, and pictures gain nothing."""

    def process_response(self, request: HttpRequest, response: HttpResponseBase) -> HttpResponseBase:
        kind = response.headers.get("Content-Type", "").partition(";")[0]
        return super().process_response(request, response) if kind in TEXT else response
