"""What comes in at the door, before anything of ours reads it: text that can be kept, in bodies that are not too large.

And what goes out of it: every failure of an address of the API has the one shape (code, detail, fields).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.utils.datastructures import MultiValueDict
from ninja.parser import Parser

from shop.refusals import Invalid
from shop.texts import unkept

WORDS = {
    400: ("bad_request", "This cannot be understood. Reload the page and try again."),
    403: ("not_allowed", "This is not allowed from here. Reload the page and try again."),
    404: ("not_found", "There is nothing here. It may have been moved or the address is wrong."),
    405: ("not_allowed_here", "This address does not take that."),
    413: ("too_large", "This is too much at once. Send less, or send a file where files are taken."),
    500: ("server", "The server failed, and its log says how. Look whether it was done, then try again."),
}


class KeepableText(Parser):
    """JSON and forms whose every text can be kept; Invalid names the fields that cannot."""

    def parse_body(self, request: HttpRequest) -> Any:
        return _checked(super().parse_body(request))

    def parse_querydict(self, data: MultiValueDict[str, Any], list_fields: list[str], request: HttpRequest) -> Any:
        return _checked(super().parse_querydict(data, list_fields, request))


def _checked(given: Any) -> Any:
    wrong = {place.strip("."): "it holds a character that cannot be kept: write it again" for place in unkept(given)}
    if wrong:
        raise Invalid("A text holds a character that cannot be kept: see the fields.", fields=wrong)
    return given


class OneShape:
    """The outermost layer: what Django itself refuses (host, size, address) in the shape of all other refusals."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponseBase]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponseBase:
        if not request.path_info.startswith("/api/"):
            return self.get_response(request)
        if self._too_large(request):
            return _problem(413)
        response = self.get_response(request)
        if response.status_code < 400 or response.headers.get("Content-Type", "").startswith("application/json"):
            return response
        return _problem(response.status_code)

    @staticmethod
    def _too_large(request: HttpRequest) -> bool:
        """Files are read piece by piece and have bounds of their own."""
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        length = request.META.get("CONTENT_LENGTH") or "0"
        is_form = (request.content_type or "").startswith("multipart/")
        return bool(most) and not is_form and length.isdigit() and int(length) > most


def _problem(status: int) -> HttpResponse:
    code, detail = WORDS.get(status, ("refused", "This was refused."))
    return JsonResponse({"code": code, "detail": detail, "fields": {}}, status=status)
