"""Who may do what, at every address; and what every answer has in common."""

import io
import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import scenes
from django.conf import settings
from django.db import transaction
from django.test import TestCase
from torvix_core.air.standards import Standard

from config.api import api
from curves.models import ArchiveUpload, Import, PrintedSheet
from curves.reduction.nature import Nature
from engines.models import Build, BuildReading, Part, Photo
from jobs.models import Job
from ops.effort import LONG, SHARE
from programmes.models import Expectation, Programme
from shop.models import Person, Role
from shop.schema import Schema
from stand.models import ListItem, Note, OpenJob, Pull, Session, WeatherReading
from verdicts.customer_report import links, report
from verdicts.estimates import service as estimates
from verdicts.estimates.service import GainOver
from verdicts.guidelines import service as guidelines
from verdicts.guidelines.service import GuidelineTexts
from verdicts.handover import sheet as handover
from verdicts.handover.sheet import HandoverOptions
from verdicts.judging.choice import Choice
from verdicts.models import Estimate, Guideline, SessionBook
from verdicts.session_book.book import BookOptions, compose

READINGS = {"barometer": "98.2 kPa", "temperature": "24 °C", "moisture_value": "50 %"}
DRAFT = {"question": "?", "build_id": "{build}", "setups": [], "order": [], "texts": {}, "standard": "sae_j607"}
HELD = {"statement": "x", "slot": "intake_manifold", "variable": "runner_length", "step": "1 in", "measure": "torque",
        "claimed": "more"}  # fmt: skip
EXPECTED = {"setup_id": "{setup}", "measure": "peak_power", "text": "2 %"}
RUN = {"layouts": [], "setups": [], "where": {"day": "2026-11-02"}}
FIGURES = {"text": "3000 300", "setup_id": "{setup}", "where": {"day": "2026-11-02"}}
FILE, LOG = "a file", "a log"  # sent as a form
READ, OPERATE, ARRANGE, OWN, THEIRS = "read", "operate", "arrange", "own", "theirs"
BY_KEY = "by a signed key that only those who operate are given, not by session"
# Every endpoint: method, address, body, who may. `own` are those that a person does for himself; only owners arrange.
# `theirs` is who asked for it alone; jobs.tests has that.
ENDPOINTS: Any = (
    ("get", "/api/me", None, OWN),
    ("patch", "/api/me/units", {}, OWN),
    ("post", "/api/sign-out", None, OWN),
    ("get", "/api/search?q=manifold", None, READ),
    ("get", "/api/standards", None, READ),
    ("get", "/api/programmes/{programme}", None, READ),
    ("get", "/api/programmes/{programme}/day", None, READ),
    ("get", "/api/programmes/{programme}/stand", None, READ),
    ("get", "/api/programmes/{programme}/pulls", None, READ),
    ("get", "/api/programmes/{programme}/curves", None, READ),
    ("get", "/api/programmes/{programme}/verdict", None, READ),
    ("get", "/api/programmes/{programme}/robustness", None, READ),
    ("get", "/api/programmes/{programme}/regimes", None, READ),
    ("get", "/api/programmes/{programme}/boosted", None, READ),
    ("get", "/api/programmes/{programme}/restriction", None, READ),
    ("get", "/api/programmes/{programme}/knock-on", None, READ),
    ("get", "/api/programmes/{programme}/road", None, READ),
    ("get", "/api/programmes/{programme}/transfer", None, READ),
    ("get", "/api/programmes/{programme}/slot-in", None, READ),
    ("post", "/api/programmes/{programme}/slot-in", {}, OPERATE),
    ("post", "/api/programmes/{programme}/transfer", {"displacement": "2.5 L", "cylinders": 6}, OPERATE),
    ("get", "/api/programmes/{programme}/estimates", None, READ),
    ("get", "/api/next-pulls", None, READ),
    ("get", "/api/programmes/{programme}/handovers", None, READ),
    ("get", "/api/handovers/{handover}/html", None, READ),
    ("get", "/api/handovers/{handover}/handover.pdf", None, READ),
    ("post", "/api/programmes/{programme}/handovers", {"setup_id": "{setup}", "change": "words"}, OPERATE),
    ("get", "/api/programmes/{programme}/books", None, READ),
    ("get", "/api/books/{book}/html", None, READ),
    ("get", "/api/books/{book}/book.pdf", None, READ),
    ("post", "/api/sessions/{session}/books", {"change": "words"}, OPERATE),
    ("get", "/api/programmes/{programme}/earlier-results", None, READ),
    ("get", "/api/overlay?items=s{setup},p{pull}", None, READ),
    ("post", "/api/programmes/{programme}/next-pulls", None, OPERATE),
    ("get", "/api/guidelines", None, READ),
    ("get", "/api/guideline-choices", None, READ),
    ("get", "/api/guidelines/{guideline}", None, READ),
    ("get", "/api/programmes/{programme}/guideline-predictions", None, READ),
    ("post", "/api/guidelines", HELD, OPERATE),
    ("put", "/api/guidelines/{guideline}", HELD, OPERATE),
    ("put", "/api/guidelines/{guideline}/archived", {"archived": True}, OPERATE),
    ("post", "/api/guidelines/{guideline}/explanations", {"text": "x", "grade": "opinion"}, OPERATE),
    ("put", "/api/explanations/{explanation}/withdrawn", {"withdrawn": True}, OPERATE),
    ("get", "/api/practice", None, READ),
    ("post", "/api/practice", {"traits": ["luck"]}, OPERATE),
    ("get", "/api/programmes/{programme}/practice", None, READ),
    ("post", "/api/programmes/{programme}/practice/reveal", None, OPERATE),
    ("delete", "/api/estimates/{estimate}", None, OPERATE),
    ("post", "/api/programmes/{programme}/duty-of-log", LOG, READ),
    ("get", "/api/programmes/{programme}/steps", None, READ),
    ("get", "/api/programmes/{programme}/overlays", None, READ),
    ("get", "/api/programmes/{programme}/setups.{kind}", None, READ),
    ("get", "/api/programmes/{programme}/decisions", None, READ),
    ("get", "/api/programmes/{programme}/sheets", None, READ),
    ("post", "/api/programmes/{programme}/sheet-preview", {}, READ),
    ("get", "/api/sheets/{sheet}/html", None, READ),
    ("get", "/api/sheets/{sheet}/sheet.{kind}", None, READ),
    ("get", "/api/verdict-choices", None, READ),
    ("post", "/api/duty-of-gears", {"ratios": [3, 2], "shift_rpm": 6000, "launch_rpm": 3000}, READ),
    ("post", "/api/programmes/{programme}/decisions", {"reason": "why not"}, OPERATE),
    ("post", "/api/programmes/{programme}/sheets", {"change": "words"}, OPERATE),
    ("post", "/api/sheets/{sheet}/links", {"days": 3}, OPERATE),
    ("delete", "/api/links/{link}", None, OPERATE),
    ("get", "/api/pulls/{pull}/curve", None, READ),
    ("get", "/api/programmes/{programme}/stacks", None, READ),
    ("get", "/api/plans/{programme}", None, READ),
    ("get", "/api/plan-choices", None, READ),
    ("get", "/api/open-tests", None, READ),
    ("get", "/api/programmes/{programme}/setups-on-paper", None, READ),
    ("get", "/api/programmes/{programme}/progress", None, READ),
    ("get", "/api/programmes/{programme}/odds", None, READ),
    ("get", "/api/programmes/{programme}/theories", None, READ),
    ("post", "/api/plans/check", DRAFT, READ),
    ("post", "/api/plans/on-paper", DRAFT, READ),
    (
        "post",
        "/api/plans/template",
        {"template": "stock_to_maximum", "draft": {**DRAFT, "setups": [{"name": "x"}]}},
        READ,
    ),
    ("get", "/api/jobs", None, READ),
    ("get", "/api/jobs/{job}", None, THEIRS),
    ("post", "/api/jobs/{job}/stop", None, THEIRS),
    ("post", "/api/plans/order", DRAFT, OPERATE),
    ("put", "/api/plans/{programme}", DRAFT, OPERATE),
    ("post", "/api/programmes/{programme}/odds", {"effects": [], "days": "100"}, OPERATE),
    ("put", "/api/programmes/{programme}/theories", {"theories": []}, OPERATE),
    ("get", "/api/programmes/{programme}/pulls-needed", None, READ),
    ("get", "/api/programmes/{programme}/outcomes", None, READ),
    ("post", "/api/programmes/{programme}/expectations", EXPECTED, OPERATE),
    ("delete", "/api/expectations/{expectation}", None, OPERATE),
    ("get", "/api/programmes/{programme}/claim?text=made+280+N·m&setup_id={setup}", None, READ),
    ("post", "/api/plans", DRAFT, OPERATE),
    ("get", "/api/programmes/{programme}/weather", None, READ),
    ("get", "/api/build-names", None, READ),
    ("get", "/api/sheet", None, READ),
    ("get", "/api/builds/{build}", None, READ),
    ("get", "/api/builds/{build}/against/{other}", None, READ),
    ("post", "/api/builds/{build}/what-if", {"texts": {"bore": "87 mm"}}, READ),
    ("get", "/api/slots", None, READ),
    ("get", "/api/part-names", None, READ),
    ("get", "/api/lookalikes", None, READ),
    ("post", "/api/parts/{part}/lookalikes/{twin}", {"as_what": "link"}, OPERATE),
    ("get", "/api/parts/{part}", None, READ),
    ("get", "/api/parts/{part}/uses", None, READ),
    ("get", "/api/photos/{photo}", None, READ),
    ("post", "/api/stacks/compare", {"one": [], "other": []}, READ),
    ("post", "/api/air", READINGS, READ),
    ("post", "/api/engines", {"name": "another", "texts": {}}, OPERATE),
    ("put", "/api/engines/{engine}/owner", {"owner": "x", "confidential": False}, OPERATE),
    ("put", "/api/builds/{build}/readings/{dimension}/{origin}", {"text": "87 mm"}, OPERATE),
    ("post", "/api/builds/{build}/readings/{dimension}/{origin}/choose", None, OPERATE),
    ("put", "/api/builds/{build}/notes", {"notes": "x"}, OPERATE),
    ("put", "/api/builds/{build}/flow/{side}", {"depression": "28", "rows": []}, OPERATE),
    ("put", "/api/builds/{build}/installation/{item}", {"installed": "x"}, OPERATE),
    ("post", "/api/builds/{build}/successor", {"changes": {}, "reason": "x"}, OPERATE),
    ("post", "/api/parts", {"name": "x", "slot": "spacer"}, OPERATE),
    ("put", "/api/parts/{part}", {"name": "manifold 0"}, OPERATE),
    ("put", "/api/parts/{part}/readings/{dimension}/{origin}", {"text": "3 kg"}, OPERATE),
    ("post", "/api/parts/{part}/readings/{dimension}/{origin}/choose", None, OPERATE),
    ("post", "/api/parts/{part}/children", {"name": "y", "modification": "x", "reason": "x"}, OPERATE),
    ("post", "/api/parts/{part}/aliases", {"name": "x"}, OPERATE),
    ("post", "/api/parts/{part}/aliases/drop", {"name": "x"}, OPERATE),
    ("post", "/api/parts/{part}/photos", FILE, OPERATE),
    ("put", "/api/programmes/{programme}/build", {"build_id": "{build}"}, OPERATE),
    ("post", "/api/sessions/{session}/weather", {**READINGS, "at": "2026-11-02T09:05:00Z"}, OPERATE),
    ("post", "/api/sessions/{session}/weather/file", FILE, OPERATE),
    ("post", "/api/weather/{reading}/strike", {"reason": "x"}, OPERATE),
    ("post", "/api/weather/{reading}/restore", None, OPERATE),
    ("get", "/api/sessions/{session}/open-jobs", None, READ),
    ("post", "/api/sessions/{session}/open-jobs", {"kind": "torque"}, OPERATE),
    ("post", "/api/open-jobs/{open_job}/close", {"note": "seen"}, OPERATE),
    ("get", "/api/programmes/{programme}/cautions", None, READ),
    ("post", "/api/sessions/{session}/cautions", None, OPERATE),
    ("get", "/api/sessions/{session}/next?setup_id={setup}", None, READ),
    ("post", "/api/sessions/{session}/checklist-entries", {"setup_id": "{setup}", "item_id": "{item_id}"}, OPERATE),
    ("post", "/api/sessions/{session}/changes", {"setup_id": "{setup}"}, OPERATE),
    ("get", "/api/sessions/{session}/idle-cards?setup_id={setup}", None, READ),
    ("post", "/api/sessions/{session}/idle-cards", {"setup_id": "{setup}", "measured": {"rpm": "900"}}, OPERATE),
    ("post", "/api/sessions/{session}/tank", {"setup_id": "{setup}", "volume": "20 L"}, OPERATE),
    ("post", "/api/sessions/{session}/swap-record", {"setup_id": "{setup}", "gasket": "new"}, OPERATE),
    ("put", "/api/open-jobs/{open_job}/count", {"stage": "1", "stages": "3"}, OPERATE),
    ("get", "/api/tune-sizes", None, READ),
    ("put", "/api/tune-sizes/{tune_kind}", {"text": "72 1.83 mm"}, OPERATE),
    ("put", "/api/pulls/{pull}/spark-bounds", {"step": "2"}, OPERATE),
    ("post", "/api/pulls/{pull}/spark-decisions", {"held": "33", "reason": "x"}, OPERATE),
    (
        "post",
        "/api/sessions/{session}/removal-readings",
        {"setup_id": "{setup}", "key": "runner_length", "text": "381 mm"},
        OPERATE,
    ),
    ("post", "/api/sessions/{session}/removal-revision", {"setup_id": "{setup}"}, OPERATE),
    ("get", "/api/checklist", None, READ),
    ("get", "/api/instruments", None, READ),
    (
        "post",
        "/api/stands/{stand}/instruments/torque/span",
        {"weights": ["0", "20", "40"], "readings": ["0", "190", "380"], "arm": "1 m"},
        OPERATE,
    ),
    ("post", "/api/stands/{stand}/instruments/{channel}/zero", {"reading": "0"}, OPERATE),
    (
        "post",
        "/api/stands/{stand}/instruments/{channel}/reference",
        {"reference": "100", "reading": "101", "known_to": "1"},
        OPERATE,
    ),
    ("put", "/api/stands/{stand}/instruments/{channel}/interval", {"days": "30"}, ARRANGE),
    ("post", "/api/checklist", {"text": "x"}, ARRANGE),
    ("put", "/api/checklist/{list_item}", {"text": "x"}, ARRANGE),
    ("delete", "/api/checklist/{list_item}", None, ARRANGE),
    ("get", "/api/programmes/{programme}/notes", None, READ),
    ("post", "/api/sessions/{session}/notes", {"text": "x"}, OPERATE),
    ("post", "/api/sessions/{session}/photos", FILE, OPERATE),
    ("get", "/api/notes/{note}/photo", None, READ),
    ("put", "/api/notes/{note}/archived", {"archived": False}, OPERATE),
    ("get", "/api/programmes/{programme}/windows", None, READ),
    ("put", "/api/programmes/{programme}/windows/{channel}", {"low": "80 °C", "high": "95 °C"}, OPERATE),
    ("get", "/api/setups/{setup}/settings", None, READ),
    ("post", "/api/setups/{setup}/settings", {"key": "setting:jets", "text": "74/80"}, OPERATE),
    ("get", "/api/pulls/{pull}/live-curve", None, READ),
    ("get", "/api/pulls/{pull}/post-pull-check", None, READ),
    ("get", "/api/stands/{stand}/limits", None, READ),
    ("put", "/api/stands/{stand}/limits/{key}", {"samples": "3", "of": "4"}, ARRANGE),
    ("put", "/api/stands/{stand}/elevation", {"elevation": "420 m"}, ARRANGE),
    ("put", "/api/programmes/{programme}/standard", {"standard": "sae_j607"}, OPERATE),
    ("post", "/api/programmes/{programme}/sessions", {"stand_id": "{stand}"}, OPERATE),
    ("post", "/api/sessions/{session}/arm", {"setup_id": "{setup}"}, OPERATE),
    ("post", "/api/sessions/{session}/close", None, OPERATE),
    ("post", "/api/pulls/{pull}/start", {}, OPERATE),
    ("post", "/api/pulls/{pull}/control", None, OPERATE),
    ("post", "/api/pulls/{pull}/abort", None, OPERATE),
    ("post", "/api/stands/{stand}/stop", {"key": "made up"}, BY_KEY),
    ("post", "/api/pulls/{pull}/keep", None, OPERATE),
    ("post", "/api/pulls/{pull}/exclude", {"reason": "hose off"}, OPERATE),
    ("get", "/api/pulls/{pull}/raw", None, READ),
    ("get", "/api/pulls/{pull}/raw.{kind}", None, READ),
    ("get", "/api/pulls/{pull}/inspection", None, READ),
    ("get", "/api/pulls/{pull}/inertia?other={pull}", None, OPERATE),
    ("put", "/api/pulls/{pull}/reduction", {}, OPERATE),
    ("post", "/api/pulls/{pull}/let-in", {"reason": "x"}, OPERATE),
    ("delete", "/api/pulls/{pull}/let-in", None, OPERATE),
    ("post", "/api/pulls/{pull}/standing-tune", None, OPERATE),
    ("get", "/api/pulls/{pull}/check-pass", None, READ),
    ("get", "/api/pulls/{pull}/mixture-advice", None, READ),
    ("get", "/api/pulls/{pull}/spark-ladder", None, READ),
    ("get", "/api/programmes/{programme}/comparability?first={pull}&second={pull}", None, READ),
    ("get", "/api/programmes/{programme}/comparability-results", None, READ),
    ("get", "/api/programmes/{programme}/comparison-windows", None, READ),
    ("put", "/api/programmes/{programme}/comparison-windows", {"windows": []}, OPERATE),
    ("get", "/api/import-choices", None, READ),
    ("post", "/api/programmes/{programme}/imports", None, OPERATE),
    ("get", "/api/programmes/{programme}/imports/unfinished", None, OPERATE),
    ("get", "/api/imports/{import}", None, OPERATE),
    ("post", "/api/imports/{import}/files", FILE, OPERATE),
    ("post", "/api/imports/{import}/run", RUN, OPERATE),
    ("post", "/api/programmes/{programme}/figures/check", {"text": "3000 300"}, READ),
    ("post", "/api/programmes/{programme}/figures", FIGURES, OPERATE),
    ("post", "/api/programmes/{programme}/printed-sheets", FILE, OPERATE),
    ("get", "/api/programmes/{programme}/printed-sheets/unsaved", None, OPERATE),
    ("get", "/api/printed-sheets/{printed_sheet}", None, READ),
    ("get", "/api/printed-sheets/{printed_sheet}/page", None, READ),
    ("post", "/api/printed-sheets/{printed_sheet}/read", {"turned": 1}, OPERATE),
    ("delete", "/api/printed-sheets/{printed_sheet}", None, OPERATE),
    ("get", "/api/programmes/{programme}/curves.{kind}", None, READ),
    ("get", "/api/programmes/{programme}/archive", None, OPERATE),
    ("get", "/api/engines/{engine}/archive", None, OPERATE),
    ("get", "/api/shop/archive", None, ARRANGE),
    ("post", "/api/archives", FILE, OPERATE),
    ("get", "/api/archives", None, OPERATE),
    ("get", "/api/archives/{upload}", None, OPERATE),
    ("post", "/api/archives/{upload}/read", {}, OPERATE),
    ("delete", "/api/archives/{upload}", None, OPERATE),
    ("post", "/api/me/password", {"old": "x", "password": "y"}, OWN),
    ("post", "/api/me/sign-out-everywhere", None, OWN),
    ("get", "/api/shop", None, READ),
    ("get", "/api/address.svg", None, READ),
    ("put", "/api/shop", {"shop_name": "Works", "currency": "EUR", "time_zone": "UTC"}, ARRANGE),
    ("get", "/api/people", None, ARRANGE),
    ("post", "/api/people", {"username": "una", "name": "Una Berg", "role": "viewer"}, ARRANGE),
    ("patch", "/api/people/{person}", {"role": "viewer"}, ARRANGE),
    ("post", "/api/people/{person}/reset", None, ARRANGE),
    ("post", "/api/people/{person}/unlock", None, ARRANGE),
    ("get", "/api/audit", None, ARRANGE),
    ("get", "/api/stands", None, ARRANGE),
    ("post", "/api/stands", {"name": "Cell 9", "host": "192.0.2.9", "port": "7420"}, ARRANGE),
    ("post", "/api/stands/simulated", {"engine": "six"}, ARRANGE),
    ("post", "/api/stands/try", {"host": "127.0.0.1", "port": "1"}, ARRANGE),
    ("get", "/api/stands/map-choices", None, ARRANGE),
    ("post", "/api/stands/try-map", {"map": {}}, ARRANGE),
    ("post", "/api/stands/measure-delays", {"map": {}}, ARRANGE),
    ("post", "/api/stands/conform-map", {"map": {}, "start_rpm": 2000, "end_rpm": 4000}, ARRANGE),
    ("post", "/api/stands/read-map", {"toml": ""}, ARRANGE),
    ("post", "/api/stands/write-map", {"map": {}}, ARRANGE),
    ("put", "/api/stands/{stand}", {"name": "Cell 1", "host": "192.0.2.1", "port": "7420"}, ARRANGE),
    ("post", "/api/stands/{stand}/retire", None, ARRANGE),
    ("post", "/api/stands/{stand}/bring-back", None, ARRANGE),
    ("delete", "/api/stands/{stand}", None, ARRANGE),
    ("get", "/api/home", None, READ),
    ("get", "/api/tests-table", None, READ),
    ("get", "/api/parts-table", None, READ),
    ("get", "/api/engines-table", None, READ),
    ("get", "/api/programmes/{programme}/verdict-line", None, READ),
    ("put", "/api/archive/parts/{part}", {"archived": False}, OPERATE),
    ("delete", "/api/archive/parts/{part}", None, OPERATE),
    ("put", "/api/archive/engines/{engine}", {"archived": False}, OPERATE),
    ("delete", "/api/archive/engines/{engine}", None, OPERATE),
    ("put", "/api/archive/programmes/{programme}", {"archived": False}, OPERATE),
    ("delete", "/api/archive/programmes/{programme}", None, OPERATE),
    ("get", "/api/programmes/{programme}/customers", None, OPERATE),
    ("put", "/api/programmes/{programme}/customers", {"people": []}, OPERATE),
)
# Before anybody is signed in; a link, a password or nothing secret is behind them.
AT_THE_DOOR = {
    ("post", "/api/sign-in"), ("get", "/api/door"), ("post", "/api/first-run"),
    ("get", "/api/welcome/{coded}/{token}"), ("post", "/api/welcome/{coded}/{token}"),
}  # fmt: skip


NOT_OF_THIS_TEST = {
    "/api/programmes/{programme}/regimes": "no_grid", "/api/programmes/{programme}/boosted": "no_boost",
    "/api/programmes/{programme}/road": "no_vehicle", "/api/programmes/{programme}/practice": "no_practice",
}  # fmt: skip


class OneOfEverything(TestCase):
    """Something of every kind that an endpoint can be asked for, and the keys to it."""

    operator: Person
    viewer: Person
    owner: Person
    programme: Programme
    session: Session
    names: dict[str, Any]

    @classmethod
    def setUpTestData(cls):
        cls.operator, cls.viewer = scenes.person(Role.OPERATOR), scenes.person(Role.VIEWER)
        cls.owner = scenes.person(Role.OWNER)
        cls.programme = scenes.programme(cls.operator)
        levels = ((1.0, 1.001), (1.01, 1.011), (0.99, 0.991))
        cls.session = scenes.day_of_pulls(cls.programme, cls.operator, levels)
        made = report.issue(
            cls.operator, cls.programme, report.ReportOptions(Choice(Standard.ISO_1585_SI)), "", scenes.DAY
        )
        given = links.give(cls.operator, made, 5, "", scenes.DAY)
        cls.names = {
            "sheet": made.pk, "link": given.pk,
            "programme": cls.programme.pk, "session": cls.session.pk, "stand": cls.session.stand_id,
            "setup": cls.programme.setups.first().pk, "pull": Pull.objects.first().pk,
            "engine": cls.programme.build.engine_id, "build": cls.programme.build_id, "dimension": "mass",
            "other": cls.programme.build_id, "origin": "reported", "side": "intake", "item": "exhaust",
            "part": cls.programme.setups.first().parts.get().pk,
            "twin": cls.programme.setups.last().parts.get().pk, "photo": cls.photo().pk,
            "reading": cls.reading().pk, "job": cls.job().pk, "key": "coolant", "open_job": cls.open_job().pk,
            "list_item": cls.list_item().pk, "note": cls.note().pk, "channel": "oil_temperature",
            "tune_kind": "main_jet",
            "kind": "csv", "person": cls.viewer.pk,
            "printed_sheet": PrintedSheet.objects.create(
                programme=cls.programme, name="a.jpg", sha256="0", picture=b"1", page=b"2", by=cls.operator,
                at=scenes.DAY).pk,
            "import": Import.objects.create(programme=cls.programme, by=cls.operator, at=scenes.DAY).pk,
            "upload": ArchiveUpload.objects.create(name="a.zip", size=1, by=cls.operator, at=scenes.DAY).pk,
            "handover": handover.issue(
                cls.operator, cls.programme, cls.programme.setups.first(), HandoverOptions(), "", scenes.DAY).pk,
            "book": SessionBook.objects.create(
                session=cls.session, number=1, by=cls.operator, at=scenes.DAY, document=compose(
                    cls.operator, cls.session, BookOptions(), scenes.DAY)).pk,
            "guideline": (held := cls.guideline()).pk, "explanation": held.explanations.get().pk,
            "expectation": cls.expectation().pk, "estimate": cls.estimate().pk,
        }  # fmt: skip

    @classmethod
    def expectation(cls) -> Expectation:
        return Expectation.objects.create(
            setup=cls.programme.setups.all()[1], measure="peak_power", low=0.02, high=0.02, written_by=cls.operator,
            written_at=scenes.DAY, sealed_at=scenes.DAY,
        )  # fmt: skip

    @classmethod
    def guideline(cls) -> Guideline:
        held = guidelines.write(cls.operator, GuidelineTexts(**HELD), scenes.DAY)
        guidelines.explain(cls.operator, held, "the wave arrives later", "opinion", None, "", scenes.DAY)
        return held

    @classmethod
    def estimate(cls) -> Estimate:
        one, other = cls.programme.setups.all()[:2]
        gain = GainOver(one, np.array([0.01]), np.array([0.0]), np.array([0.02]))
        return estimates.keep(
            cls.owner, cls.programme, Nature.TRANSFERRED, Standard.ISO_1585_SI, "Transferred", {},
            np.array([3000.0]), [gain], scenes.DAY, setup=other,
        )  # fmt: skip

    @classmethod
    def list_item(cls) -> ListItem:
        return ListItem.objects.create(text="Guards", moment="session", position=1)

    @classmethod
    def note(cls) -> Note:
        return Note.objects.create(session=cls.session, at=scenes.DAY, person=cls.operator, photo=b"x")

    @classmethod
    def photo(cls) -> Photo:
        part = cls.programme.setups.first().parts.get()
        return Photo.objects.create(part=part, data=b"x", width=1, height=1, sha256="x", added_at=scenes.DAY,
                                    added_by=cls.operator)  # fmt: skip

    @classmethod
    def job(cls) -> Job:
        return Job.objects.create(kind="odds", asked_by=cls.operator, asked_at=scenes.DAY)

    @classmethod
    def open_job(cls) -> OpenJob:
        return OpenJob.objects.create(session=cls.session, kind="torque", owner=cls.operator, begun_at=scenes.DAY)

    @classmethod
    def reading(cls) -> WeatherReading:
        return WeatherReading.objects.create(session=cls.session, at=scenes.DAY, barometer=98_000.0, temperature=293.0,
                                             relative_humidity=0.5, source="by hand")  # fmt: skip

    def read(self, address: str):
        return self.client.get(address.format(**self.names))


class Permissions(OneOfEverything):
    def ask(self, method: str, address: str, body: dict | str | None):
        if body == FILE:
            return self.client.post(address.format(**self.names), {"file": io.BytesIO(b"not what is wanted")})
        if body == LOG:
            rows = "".join(f"{place / 10},{3000 + 25 * place}\n" for place in range(120))
            return self.client.post(address.format(**self.names), {"file": io.BytesIO(f"time,rpm\n{rows}".encode())})
        if method == "get":
            return self.read(address)
        sent = json.dumps(body or {}).replace('"{stand}"', str(self.names["stand"]))
        sent = sent.replace('"{item_id}"', str(self.names["list_item"]))
        sent = sent.replace('"{setup}"', str(self.names["setup"])).replace('"{build}"', str(self.names["build"]))
        return getattr(self.client, method)(address.format(**self.names), sent, content_type="application/json")

    def test_the_table_names_every_endpoint(self):
        described = {
            (method, path.replace("_id}", "}"))
            for path, methods in api.get_openapi_schema()["paths"].items()
            for method in methods
        }
        listed = {(method, address.split("?")[0]) for method, address, _, _ in ENDPOINTS}
        self.assertEqual(described - listed, AT_THE_DOOR)

    def test_nobody_gets_anything_without_signing_in(self):
        for method, address, body, who in ENDPOINTS:
            with self.subTest(method=method, address=address):
                answer = self.read(address) if method == "get" else self.ask(method, address, body)
                refused = (403, "not_allowed") if who == BY_KEY else (401, "signed_out")
                self.assertEqual((answer.status_code, answer.json()["code"]), refused)

    def test_a_viewer_reads_everything_and_changes_nothing(self):
        self.client.force_login(self.viewer)
        before = self.state()
        for method, address, body, who in ENDPOINTS:
            if who in (OWN, THEIRS):
                continue
            with self.subTest(method=method, address=address):
                answer = self.read(address) if method == "get" else self.ask(method, address, body)
                if address in NOT_OF_THIS_TEST:  # read, and answered that its setups are no grid, or not boosted
                    self.assertEqual((answer.status_code, answer.json()["code"]), (409, NOT_OF_THIS_TEST[address]))
                    continue
                self.assertEqual(answer.status_code, 200 if who == READ else 403, answer.content)
        self.assertEqual(self.state(), before)

    def test_a_customer_to_whom_nothing_was_given_finds_nothing_of_any_test(self):
        self.client.force_login(scenes.person(Role.CUSTOMER))
        own = re.compile(r"\{(programme|session|setup|pull|sheet|engine|build|part|photo|note|import|estimate)\}")
        asked = [one for one in ENDPOINTS if own.search(one[1]) and one[3] in (READ, OPERATE)]
        self.assertGreater(len(asked), 90)
        for method, address, body, _ in asked:
            with self.subTest(method=method, address=address):
                self.assertIn(self.ask(method, address, body).status_code, (403, 404))
        for address in ("tests-table", "engines-table", "parts-table", "part-names", "build-names"):
            found = self.client.get(f"/api/{address}").json()
            self.assertEqual((found["total"], found["rows"]), (0, []), address)
        self.assertEqual(self.client.get("/api/open-tests").json(), {"rows": [], "older": 0})

    def test_only_an_owner_arranges_the_shop(self):
        self.client.force_login(self.operator)
        for method, address, body, who in ENDPOINTS:
            if who == ARRANGE:
                with self.subTest(address=address):
                    self.assertEqual(self.ask(method, address, body).status_code, 403)

    def test_operator_and_owner_are_not_refused_for_their_role(self):
        for person in (self.operator, self.owner):
            self.client.force_login(person)
            for method, address, body, who in ENDPOINTS:
                if who == OPERATE or (who == ARRANGE and person == self.owner):
                    with self.subTest(person=person, address=address), transaction.atomic():
                        self.assertNotIn(self.ask(method, address, body).status_code, (401, 403, 404, 500))
                        transaction.set_rollback(True)  # what one deletes, the next asks for

    def state(self) -> list[object]:
        self.programme.refresh_from_db()
        self.session.refresh_from_db()
        pulls = list(Pull.objects.order_by("pk").values_list("state", "standing"))
        written = [
            Part.objects.count(),
            Build.objects.count(),
            BuildReading.objects.count(),
            WeatherReading.objects.count(),
        ]
        return [self.programme.standard, self.session.closed_at, pulls, written]


class EveryAnswer(TestCase):
    def test_no_two_schemas_share_a_name(self):
        """The schema of the API knows them by name alone: the later would take the place of the earlier unseen."""
        seen: dict[str, set[str]] = {}
        waiting = [Schema]
        while waiting:
            for known in waiting.pop().__subclasses__():
                waiting.append(known)
                if known.__module__.split(".")[0] in ("shop", "engines", "programmes", "stand", "curves", "verdicts"):
                    seen.setdefault(known.__name__, set()).add(known.__module__)
        self.assertGreater(len(seen), 60)
        self.assertEqual({name: modules for name, modules in seen.items() if len(modules) > 1}, {})

    def test_an_unknown_address_of_the_api_is_a_problem_in_its_shape(self):
        self.client.force_login(scenes.person(Role.VIEWER))
        answer = self.client.get("/api/programmes/987654/curves")
        self.assertEqual((answer.status_code, answer.json()["code"]), (404, "not_found"))
        self.assertIn("There is nothing here.", answer.json()["detail"])

    def test_what_is_sent_wrong_is_told_by_field(self):
        self.client.force_login(scenes.person(Role.OPERATOR))
        answer = self.client.post("/api/sessions/1/arm", {"setup_id": "x"}, content_type="application/json")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("setup_id", " ".join(answer.json()["fields"]))

    def test_pages_allow_no_script_from_elsewhere_and_no_frame(self):
        answer = self.client.get("/")
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("script-src 'self';", policy + ";")
        self.assertIn("frame-ancestors 'none'", policy)
        self.assertEqual(answer.headers["X-Frame-Options"], "DENY")

    def test_every_address_of_a_screen_gives_the_application(self):
        for address in ("/", "/programmes/1/stand", "/no/such/screen"):
            self.assertContains(self.client.get(address), '<div id="app">')
        self.assertEqual(self.client.get("/api/no-such-thing").status_code, 404)

    def test_the_built_page_fetches_nothing_from_outside(self):
        for file in Path(settings.WEB_BUILD).rglob("*.css"):
            self.assertNotRegex(file.read_text(), r"url\(['\"]?https?://")
        self.assertNotRegex((settings.WEB_BUILD / "index.html").read_text(), r"(src|href)=['\"]https?://")


class NastyInput(TestCase):
    """Whatever is sent, the answer is a problem in its shape, never a failure of the server."""

    owner: Person
    names: dict[str, int]

    NASTY = (
        "",
        " ",
        "\x00",
        "x" * 10_000,
        "-1",
        "0",
        "1e999",
        "nan",
        "1,5",
        "½ in",
        "<script>",
        "'; DROP",
        "٣",
        "🔧",
        "1 2",
    )
    TEXTS = (
        ("put", "/api/builds/{build}/readings/bore/measured", "text"),
        ("put", "/api/builds/{build}/readings/bore/measured", "how"),
        ("put", "/api/builds/{build}/readings/valvetrain/reported", "text"),
        ("put", "/api/builds/{build}/readings/cycle/reported", "text"),
        ("put", "/api/builds/{build}/notes", "notes"),
        ("put", "/api/builds/{build}/installation/exhaust", "allowance"),
        ("put", "/api/builds/{build}/installation/exhaust", "installed"),
        ("post", "/api/engines", "name"),
        ("post", "/api/builds/{build}/successor", "reason"),
        ("put", "/api/parts/{part}", "name"),
        ("put", "/api/parts/{part}", "price"),
        ("post", "/api/parts/{part}/aliases", "name"),
        ("post", "/api/parts/{part}/aliases/drop", "name"),
        ("post", "/api/parts/{part}/children", "modification"),
        ("post", "/api/air", "barometer"),
        ("post", "/api/air", "moisture_value"),
        ("post", "/api/air", "fuel_delivery"),
        ("post", "/api/sessions/{session}/weather", "elevation"),
        ("post", "/api/weather/{reading}/strike", "reason"),
        ("put", "/api/stands/{stand}/elevation", "elevation"),
    )
    WHOLE = {"name": "x", "modification": "x", "reason": "x", "text": "87 mm", "changes": {}, "texts": {}, **READINGS,
             "at": "2026-11-02T09:05:00Z", "notes": "", "elevation": "420 m"}  # fmt: skip

    @classmethod
    def setUpTestData(cls):
        cls.owner = scenes.person(Role.OWNER)
        programme = scenes.programme(cls.owner)
        session = scenes.session(programme, cls.owner)
        reading = WeatherReading.objects.create(session=session, at=scenes.DAY, barometer=98_000.0, temperature=293.0,
                                                relative_humidity=0.5, source="by hand")  # fmt: skip
        cls.names = {"build": programme.build_id, "part": programme.setups.first().parts.get().pk,
                      "session": session.pk, "reading": reading.pk, "stand": session.stand_id}  # fmt: skip

    def setUp(self):
        self.client.force_login(self.owner)
        self.client.raise_request_exception = False

    def test_nasty_texts_in_every_field(self):
        for place, (method, address, field) in enumerate(self.TEXTS):
            # In the short form each field is given some, and each text is given to some fields.
            for nasty in self.NASTY if LONG else self.NASTY[place % SHARE :: SHARE]:
                sent = json.dumps({**self.WHOLE, field: nasty})
                with self.subTest(address=address, field=field, nasty=nasty[:6]):
                    answer = getattr(self.client, method)(
                        address.format(**self.names), sent, content_type="application/json"
                    )
                    self.assertLess(answer.status_code, 500)
                    if answer.status_code == 422:
                        self.assertTrue(answer.json()["fields"])

    def test_what_is_no_json_no_object_or_no_number_of_ours(self):
        address = f"/api/builds/{self.names['build']}/what-if"
        for sent in (
            "",
            "{",
            "[]",
            "null",
            '{"texts": []}',
            '{"texts": {"bore": 4}}',
            '{"texts": {}, "advance_by": 1e9}',
        ):
            with self.subTest(sent=sent):
                answer = self.client.post(address, sent, content_type="application/json")
                self.assertIn(answer.status_code, (400, 422))
        for address in ("builds", "parts", "photos", "programmes"):
            with self.subTest(address=address):
                self.assertEqual(self.client.get(f"/api/{address}/{10**30}").status_code, 404)
        huge = json.dumps({"one": [10**30], "other": []})
        self.assertEqual(
            self.client.post("/api/stacks/compare", huge, content_type="application/json").status_code, 422
        )
