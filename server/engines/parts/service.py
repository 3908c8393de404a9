"""The parts library: parts and their values, modifications that make children, aliases, photographs."""

from __future__ import annotations

import hashlib
import io
import warnings
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal, InvalidOperation

from django.db import transaction
from django.db.models import Prefetch, QuerySet
from PIL import Image, ImageOps, UnidentifiedImageError
from torvix_core.engine.dimensions import Dimension, Slot, part_dimensions
from torvix_core.engine.evidence import Origin
from torvix_core.engine.stack import StackPart

from engines.builds.service import entry_or_refuse
from engines.models import Alias, Part, Photo
from engines.sheet import readings, sheets
from engines.sheet.entries import read_entries, refuse_wrong
from engines.sheet.readings import ReadingChange
from shop.models import Person
from shop.permissions import may_operate, require_operator, units_of
from shop.refusals import Invalid, Refusal
from shop.texts import named, optional

LARGEST_UPLOAD = 12_000_000  # bytes
MOST_PIXELS = 50_000_000
LONGEST_EDGE = 1600  # pixels kept
PHOTOS_A_PART = 24
FORMATS = ("JPEG", "PNG", "WEBP")


@dataclass(frozen=True)
class PartFacts:
    """What is told of a part beside its dimensions. Price: a number, or empty for unknown."""

    name: str
    notes: str = ""
    belongs_to: str = ""
    price: str = ""
    price_is_private: bool = False
    matched_to_id: int | None = None
    same_as_id: int | None = None


def readable_parts(person: Person) -> QuerySet[Part]:
    """Parts that the person may see, with all that a list or a stack needs, in a bounded number of queries."""
    photos = Photo.objects.defer("data")
    return (
        Part.objects.visible_to(person)
        .select_related("parent", "matched_to", "same_as")
        .prefetch_related("readings__written_by", "aliases", Prefetch("photos", queryset=photos), "children")
    )


@transaction.atomic
def add_part(
    person: Person, at: datetime, slot: Slot, facts: PartFacts, texts: Mapping[str, str],
    *, origin: Origin = Origin.REPORTED,
) -> Part:  # fmt: skip
    require_operator(person)
    entries, wrong = read_entries(part_dimensions(slot), _filled(texts), units_of(person))
    refuse_wrong(wrong)
    part = Part(slot=slot, created_at=at, created_by=person)
    _take_facts(part, facts)
    readings.write_all(part.readings, entries, origin, person, at)
    return part


@transaction.atomic
def describe_part(person: Person, part: Part, facts: PartFacts) -> Part:
    require_operator(person)
    _take_facts(part, facts)
    return part


@transaction.atomic
def write_down(person: Person, part: Part, key: str, change: ReadingChange, at: datetime) -> Part:
    """Put one value of one origin on the part, or take it out."""
    require_operator(person)
    entry = entry_or_refuse(_line(part, key), change.text, person) if change.text.strip() else None
    readings.write(part.readings, key, entry, change, person, at)
    return part


@transaction.atomic
def choose(person: Person, part: Part, key: str, origin: Origin) -> Part:
    """Use this value although another contradicts it."""
    require_operator(person)
    readings.choose(part.readings, _line(part, key).key, origin)
    return part


@transaction.atomic
def modify_part(
    person: Person, parent: Part, at: datetime, *, name: str, modification: str, amount: str, reason: str,
    texts: Mapping[str, str],
) -> Part:  # fmt: skip
    """A child of the parent: the same but for what was done to it. The parent stays."""
    require_operator(person)
    missing = {
        field: told
        for field, text, told in (
            ("modification", modification, "say what was done"),
            ("reason", reason, "say why it was done"),
        )
        if not text.strip()
    }
    if missing:
        raise Invalid("A modification says what was done and why.", fields=missing)
    entries, wrong = read_entries(part_dimensions(Slot(parent.slot)), _filled(texts), units_of(person))
    refuse_wrong(wrong)
    part = Part(
        slot=parent.slot, parent=parent, modification=optional(modification, "modification", 120),
        amount=optional(amount, "amount", 80), reason=optional(reason, "reason", 200), created_at=at, created_by=person,
    )  # fmt: skip
    _take_facts(part, PartFacts(name=name, belongs_to=parent.belongs_to, matched_to_id=parent.matched_to_id))
    for reading in parent.readings.all():
        if reading.dimension not in entries:
            reading.pk, reading.part = None, part
            reading.save()
    readings.write_all(part.readings, entries, Origin.MEASURED, person, at)
    return part


@transaction.atomic
def name_alias(person: Person, part: Part, name: str) -> Part:
    require_operator(person)
    Alias.objects.get_or_create(part=part, name=named(name, "name", 120))
    return part


@transaction.atomic
def drop_alias(person: Person, part: Part, name: str) -> Part:
    require_operator(person)
    Alias.objects.filter(part=part, name=optional(name, "name", 120)).delete()
    return part


def add_photo(person: Person, part: Part, upload: bytes, caption: str, at: datetime) -> Photo:
    """A photograph, made anew from its pixels. Refused if it is no picture, too large, or there already."""
    require_operator(person)
    told = optional(caption, "caption", 160)
    if len(upload) > LARGEST_UPLOAD:
        size = f"{len(upload) / 1e6:.0f} MB, at most {LARGEST_UPLOAD / 1e6:.0f} MB are taken"
        raise Invalid("The file is too large.", fields={"file": size})
    digest = hashlib.sha256(upload).hexdigest()
    if part.photos.filter(sha256=digest).exists():
        raise Invalid("This photograph is there already.", fields={"file": "the same file was added before"})
    if part.photos.count() >= PHOTOS_A_PART:
        raise Refusal(f"A part holds {PHOTOS_A_PART} photographs.", code="too_many")
    data, (width, height) = reencode(upload)
    return Photo.objects.create(
        part=part, caption=told, data=data, width=width, height=height, sha256=digest, added_at=at, added_by=person
    )


def reencode(upload: bytes, longest_edge: int = LONGEST_EDGE) -> tuple[bytes, tuple[int, int]]:
    """JPEG bytes and size of a picture: upright, at most `longest_edge`, nothing of the file but its pixels."""
    no_picture = Invalid("This is not a picture that can be used.", fields={"file": "a JPEG, PNG or WebP is taken"})
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            with Image.open(io.BytesIO(upload), formats=FORMATS) as picture:
                if picture.width * picture.height > MOST_PIXELS:
                    message = f"{picture.width} × {picture.height} pixels, at most {MOST_PIXELS // 1_000_000} million"
                    raise Invalid("The picture has too many pixels.", fields={"file": message})
                upright = ImageOps.exif_transpose(picture)
                upright.thumbnail((longest_edge, longest_edge))
                flat = Image.new("RGB", upright.size, "white")
                flat.paste(upright.convert("RGB"), mask=upright.convert("RGBA").getchannel("A"))
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError,
            Image.DecompressionBombWarning) as error:  # fmt: skip
        raise no_picture from error
    out = io.BytesIO()
    flat.save(out, "JPEG", quality=86)
    return out.getvalue(), flat.size


def lineage(part: Part) -> list[Part]:
    """From the first part it comes from down to itself."""
    line, at = [part], part
    while at.parent is not None and len(line) < 50:
        at = at.parent
        line.append(at)
    return line[::-1]


def stack_part(part: Part) -> StackPart:
    """A part as the core compares it."""
    return StackPart(
        slot=Slot(part.slot),
        name=part.name,
        values=sheets.values(part.readings.all()),
        made_from=part.parent.name if part.parent else "",
        modification=" ".join(text for text in (part.modification, part.amount) if text),
        matched_to=part.matched_to.name if part.matched_to else "",
    )


def stack_of(parts: Sequence[Part]) -> list[StackPart]:
    return [stack_part(part) for part in parts]


def may_see_price(person: Person, part: Part) -> bool:
    return not part.price_is_private or may_operate(person)


def _filled(texts: Mapping[str, str]) -> dict[str, str]:
    return {key: text for key, text in texts.items() if text.strip()}


def _line(part: Part, key: str) -> Dimension:
    found = part_dimensions(Slot(part.slot)).get(key)
    if found is None:
        raise Invalid("This kind of part has no such line.", fields={key: "There is no such line."})
    return found


def _take_facts(part: Part, facts: PartFacts) -> None:
    part.name = named(facts.name, "name", 120)
    if Part.objects.filter(name=part.name).exclude(pk=part.pk).exists():
        raise Invalid("There is a part of that name.", fields={"name": "taken; open that one or choose another"})
    part.notes, part.belongs_to = optional(facts.notes, "notes", 4000), optional(facts.belongs_to, "belongs_to", 120)
    part.price, part.price_is_private = _price(facts.price), facts.price_is_private
    for field, other in (("matched_to", facts.matched_to_id), ("same_as", facts.same_as_id)):
        if other is not None and (other == part.pk or not Part.objects.filter(pk=other).exists()):
            raise Invalid("That part cannot be linked.", fields={f"{field}_id": "choose another part of the library"})
        setattr(part, f"{field}_id", other)
    part.save()


def _price(text: str) -> Decimal | None:
    plain = text.strip()
    if not plain:
        return None
    message = {"price": f"“{plain[:20]}” is not a price. Write it like 420 or 419.50, or leave it out if unknown."}
    try:
        price = Decimal(plain)
    except InvalidOperation as error:
        raise Invalid("The price is not understood.", fields=message) from error
    if not price.is_finite() or not 0 <= price < Decimal("1e8") or price != round(price, 2):
        raise Invalid("The price is not understood.", fields=message)
    return price
