"""What the demonstration knows on paper: the engine's sheet and its successor, the parts, the weather read by hand."""

from __future__ import annotations

import io
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from PIL import Image, ImageDraw
from torvix_core.air.weather import Moisture
from torvix_core.engine.dimensions import Slot
from torvix_core.engine.evidence import Origin

from engines.builds.service import (
    describe_engine,
    describe_installation,
    note,
    write_down,
    write_flow_table,
)
from engines.builds.service import (
    succeed as succeed_build,
)
from engines.models import Build, Part
from engines.parts.service import PartFacts, add_part, add_photo, describe_part, modify_part, name_alias
from engines.sheet.readings import ReadingChange
from shop.models import Person, Stand
from stand.models import Session
from stand.weather.service import TypedWeather, log_reading, place_stand, strike_reading


def describe(given: dict[str, Any], person: Person, at: datetime, stand: Stand) -> Build:
    """The engine as it was known before the day."""
    place_stand(person, stand, given["elevation"])
    build = describe_engine(person, at, given["name"], given["catalog"], origin=Origin.CATALOG, owner=given["owner"])
    note(person, build, given["notes"])
    for origin in (Origin.REPORTED, Origin.ASSUMED, Origin.MEASURED):
        for key, text in given[origin].items():
            write_down(person, build, key, ReadingChange(text, origin), at)
    flow = given["flow"]
    rows = [(lift, f"{each} CFM") for lift, each in flow["rows"]]
    write_flow_table(person, build, flow["side"], flow["depression"], rows, at, how=flow["how"])
    for item in given["installation"]:
        describe_installation(
            person, build, item["item"], tested=item["tested"], installed=item["installed"],
            allowance=item.get("allowance", ""), basis=item.get("basis", ""), applied=item.get("applied", False),
        )  # fmt: skip
    return build


def succeed(given: dict[str, Any], person: Person, build: Build, at: datetime) -> Build:
    """What was found when the engine was opened, as the next revision."""
    build.refresh_from_db()
    changes = {key: ReadingChange(text, Origin.MEASURED, given["how"]) for key, text in given["measured"].items()}
    return succeed_build(person, build, changes, given["reason"], at)


def parts(given: Sequence[dict[str, Any]], person: Person, at: datetime) -> dict[str, Part]:
    """The library; a part with a parent is made from it."""
    made: dict[str, Part] = {}
    for one in given:
        if parent := one.get("parent"):
            part = modify_part(
                person, made[parent], at, name=one["name"], modification=one["modification"], amount=one["amount"],
                reason=one["reason"], texts=one["lines"],
            )  # fmt: skip
            describe_part(person, part, PartFacts(one["name"], price=one.get("price", "")))
        else:
            matched = made[one["matched_to"]].pk if "matched_to" in one else None
            facts = PartFacts(
                one["name"], price=one.get("price", ""), price_is_private=one.get("price_is_private", False),
                matched_to_id=matched,
            )  # fmt: skip
            part = add_part(person, at, Slot(one["slot"]), facts, one["lines"], origin=Origin.MEASURED)
        for alias in one.get("aliases", []):
            name_alias(person, part, alias)
        if runners := one.get("sketch"):
            length = next(reading.value for reading in part.readings.all() if reading.dimension == "runner_length")
            add_photo(person, part, sketch(runners, float(length or 0.0)), "Sketch to scale, no photograph", at)
        made[one["name"]] = part
    return made


def sketch(runners: int, length: float) -> bytes:
    """A drawn manifold in place of a photograph: plenum above, runners as long as they are."""
    picture = Image.new("RGB", (960, 720), "#f3efe4")
    draw = ImageDraw.Draw(picture)
    reach = round(length * 1000)
    draw.rounded_rectangle((90, 70, 870, 170), 30, outline="#17212b", width=6, fill="#dcd6c8")
    draw.ellipse((20, 80, 100, 160), outline="#17212b", width=6, fill="#faf8f3")
    for number in range(runners):
        left = 130 + number * 720 // runners
        draw.rectangle((left, 170, left + 46, 170 + reach), outline="#17212b", width=5, fill="#ffffff")
    draw.rectangle((90, 170 + reach, 870, 196 + reach), outline="#17212b", width=5, fill="#5b6670")
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()


def log_weather(given: Sequence[dict[str, Any]], person: Person, session: Session) -> None:
    """What somebody read off his own instruments while the session ran."""
    for one in given:
        at = session.opened_at + timedelta(minutes=one["after"])
        typed = TypedWeather(
            one["barometer"], False, "", one["temperature"], Moisture(one["moisture"]), one["moisture_value"]
        )
        reading = log_reading(person, session, typed, at)
        if reason := one.get("strike"):
            strike_reading(person, reading, reason, at + timedelta(minutes=6))
