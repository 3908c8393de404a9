"""The whole API: one router an app, one place that turns every error into one shape."""

from __future__ import annotations

import logging

from django.core.exceptions import PermissionDenied
from django.db import DataError, IntegrityError, OperationalError
from django.http import Http404, HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError
from ninja.security import django_auth

from config.door import KeepableText
from curves.archive.api import router as export_router
from curves.comparability.api import router as comparing_router
from curves.intake.api import router as imports_router
from curves.manual_entry.api import router as typed_router
from curves.mixture.api import router as mixture_router
from curves.printed_sheets.api import router as printed_sheets_router
from curves.pull_log.api import router as curves_router
from curves.reduction.api import router as inspect_router
from curves.spark.api import router as spark_router
from engines.archive.api import router as engine_archive_router
from engines.builds.api import router as engines_router
from engines.lookalikes.api import router as lookalikes_router
from engines.parts.api import router as parts_router
from engines.revisions.api import router as revisions_router
from engines.stacks.api import router as stacks_router
from jobs.api import router as jobs_router
from programmes.archive.api import router as archive_router
from programmes.listing.api import router as programmes_router
from programmes.plan.api import router as plans_router
from programmes.settings.api import router as adjusting_router
from shop.people.api import router as people_router
from shop.refusals import Refusal
from shop.setting_up.api import router as setting_up_router
from shop.sign_in.api import router as shop_router
from stand.idle_cards.api import router as idle_cards_router
from stand.instruments.api import router as instruments_router
from stand.limits.api import router as limits_router
from stand.notes.api import router as notes_router
from stand.open_jobs.api import router as open_jobs_router
from stand.progress.api import router as progress_router
from stand.pulls.api import router as stand_router
from stand.session.api import router as prestart_router
from stand.stands.api import router as stands_router
from stand.weather.api import router as weather_router
from stand.windows.api import router as windows_router
from verdicts.boosted.api import router as boosted_router
from verdicts.curves.api import router as setups_curves_router
from verdicts.customer_report.api import router as sheets_router
from verdicts.decisions.api import router as decisions_router
from verdicts.estimates.api import router as estimates_router
from verdicts.guidelines.api import router as guidelines_router
from verdicts.handover.api import router as handover_router
from verdicts.home.api import router as home_router
from verdicts.judging.api import router as verdicts_router
from verdicts.knock_on.api import router as knock_on_router
from verdicts.next_pulls.api import router as next_pulls_router
from verdicts.outlook.api.claims import router as claims_router
from verdicts.outlook.api.odds import router as odds_router
from verdicts.outlook.api.outcomes import router as outcomes_router
from verdicts.overlay.api import router as overlay_router
from verdicts.practice.api import router as practice_router
from verdicts.regimes.api import router as regimes_router
from verdicts.restriction.api import router as restriction_router
from verdicts.road.api import router as road_router
from verdicts.search.api import router as search_router
from verdicts.session_book.api import router as session_books_router
from verdicts.slot_in.api import router as slot_in_router
from verdicts.theories.api import router as theories_router
from verdicts.transfer.api import router as transfer_router

log = logging.getLogger("torvix.web")
api = NinjaAPI(title="Torvix", version="1", docs_url=None, auth=django_auth, parser=KeepableText())
api.add_router("", shop_router)
api.add_router("", setting_up_router)
api.add_router("", people_router)
api.add_router("", jobs_router)
api.add_router("", engines_router)
api.add_router("", engine_archive_router)
api.add_router("", archive_router)
api.add_router("", revisions_router)
api.add_router("", parts_router)
api.add_router("", lookalikes_router)
api.add_router("", stacks_router)
api.add_router("", programmes_router)
api.add_router("", plans_router)
api.add_router("", adjusting_router)
api.add_router("", stand_router)
api.add_router("", stands_router)
api.add_router("", prestart_router)
api.add_router("", notes_router)
api.add_router("", windows_router)
api.add_router("", progress_router)
api.add_router("", limits_router)
api.add_router("", instruments_router)
api.add_router("", idle_cards_router)
api.add_router("", open_jobs_router)
api.add_router("", weather_router)
api.add_router("", curves_router)
api.add_router("", mixture_router)
api.add_router("", spark_router)
api.add_router("", inspect_router)
api.add_router("", comparing_router)
api.add_router("", imports_router)
api.add_router("", typed_router)
api.add_router("", printed_sheets_router)
api.add_router("", export_router)
api.add_router("", setups_curves_router)
api.add_router("", home_router)
api.add_router("", search_router)
api.add_router("", verdicts_router)
api.add_router("", regimes_router)
api.add_router("", boosted_router)
api.add_router("", restriction_router)
api.add_router("", knock_on_router)
api.add_router("", claims_router)
api.add_router("", outcomes_router)
api.add_router("", decisions_router)
api.add_router("", sheets_router)
api.add_router("", odds_router)
api.add_router("", theories_router)
api.add_router("", road_router)
api.add_router("", transfer_router)
api.add_router("", slot_in_router)
api.add_router("", estimates_router)
api.add_router("", practice_router)
api.add_router("", guidelines_router)
api.add_router("", next_pulls_router)
api.add_router("", overlay_router)
api.add_router("", session_books_router)
api.add_router("", handover_router)


def _problem(request: HttpRequest, status: int, code: str, detail: str, fields: dict[str, str]) -> HttpResponse:
    return api.create_response(request, {"code": code, "detail": detail, "fields": fields}, status=status)


@api.exception_handler(Refusal)
def _refused(request: HttpRequest, refusal: Refusal) -> HttpResponse:
    return _problem(request, refusal.status, refusal.code, str(refusal), refusal.fields)


@api.exception_handler(AuthenticationError)
def _signed_out(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
    return _problem(request, 401, "signed_out", "You are signed out. Sign in to go on.", {})


@api.exception_handler(PermissionDenied)
def _denied(request: HttpRequest, error: PermissionDenied) -> HttpResponse:
    return _problem(request, 403, "not_allowed", str(error) or "Your role does not allow this.", {})


@api.exception_handler(Http404)
def _missing(request: HttpRequest, error: Http404) -> HttpResponse:
    return _problem(
        request, 404, "not_found", "There is nothing here. It may have been moved or the address is wrong.", {}
    )


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    fields = {".".join(str(part) for part in found["loc"][1:]): str(found["msg"]) for found in error.errors}
    return _problem(request, 422, "invalid", "Some of what was sent cannot be used: see the fields.", fields)


@api.exception_handler(HttpError)
def _unread(request: HttpRequest, error: HttpError) -> HttpResponse:
    """A body that is no JSON, or whose texts cannot be kept: the library tells the one as the other."""
    if isinstance(error.__cause__, Refusal):
        return _refused(request, error.__cause__)
    return _problem(request, error.status_code, "bad_request", "What was sent cannot be read as JSON.", {})


@api.exception_handler(IntegrityError)
def _overtaken(request: HttpRequest, error: IntegrityError) -> HttpResponse:
    """What a service had checked was no longer so when it was written: somebody else was quicker."""
    if "build_used_is_closed" in str(error):
        told = "A pull was made with this revision in the meantime, so it stays as it is. Change it as a new revision."
        return _problem(request, 409, "build_closed", told, {})
    if "setup_pulled_is_closed" in str(error):
        told = "This setup was pulled in the meantime, so it stays as it is. Plan another setup for the change."
        return _problem(request, 409, "setup_closed", told, {})
    told = "Somebody else changed this at the same moment. Reload the page and try again."
    return _problem(request, 409, "overtaken", told, {})


@api.exception_handler(DataError)
def _unkeepable(request: HttpRequest, error: DataError) -> HttpResponse:
    """No service bounded it; that is a fault of ours, and no reason to fail on somebody."""
    log.error("a value that the database does not take: %s", error)
    return _problem(request, 422, "invalid", "A value lies beyond what can be kept. Correct it and try again.", {})


@api.exception_handler(OperationalError)
def _database_lost(request: HttpRequest, error: OperationalError) -> HttpResponse:
    log.warning("the database did not answer: %s", error)
    return _problem(
        request, 503, "database_lost", "The database does not answer. What the stand sends is kept; try again.", {}
    )
