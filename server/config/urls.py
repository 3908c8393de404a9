from django.http import Http404, HttpRequest, HttpResponse
from django.template import TemplateDoesNotExist
from django.template.loader import get_template
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from config.api import api
from config.health import alive, ready
from stand.live.stream import stream
from verdicts.customer_report.public_report import shared


@ensure_csrf_cookie
def application(request: HttpRequest, address: str = "") -> HttpResponse:
    """Every address outside the API is a screen: the browser's router finds it or says that it is unknown."""
    if address.startswith(("api/", "static/")):
        raise Http404
    try:
        page = get_template("index.html").render({}, request)
    except TemplateDoesNotExist:
        page = "The screens are not built yet. Stop the server and start it with ./torvix serve, which builds them."
        return HttpResponse(page, status=503, content_type="text/plain")
    return HttpResponse(page, headers={"Cache-Control": "no-cache"})


urlpatterns = [
    path("healthz", alive),
    path("readyz", ready),
    path("api/programmes/<int:programme_id>/live", stream),
    path("api/", api.urls),
    path("shared/<str:token>", shared),
    path("shared/<str:token>/sheet.<str:kind>", shared),
    re_path(r"^(?P<address>.*)$", application),
]
