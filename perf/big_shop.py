"""A shop after ten seasons: one engine's tests made by the application itself, then copied by SQL, each copy another.

Copies have keys, names, days and curves of their own; people, stands and lists are the shop's.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from typing import TYPE_CHECKING

import numpy as np
from django.apps import apps
from django.contrib.postgres.fields import ArrayField
from django.db import connection, models

from perf.report import size

if TYPE_CHECKING:
    from programmes.models import Programme
    from shop.models import Person

ENGINES, TESTS, PULLS, SPARE = size(200, 2), size(5, 2), size(20, 3), size(4, 1)
LONG = size(300, 14)  # pulls of the one long test
MORE_CHANNELS = {f"probe {number}": (300.0 + number, "K") for number in range(size(20, 2))}
COPIED = ("engines", "programmes", "stand", "curves", "verdicts")
THE_SHOPS = {
    "StandLimit", "Command", "Link", "InstrumentCheck", "InstrumentInterval", "ListItem", "ProgrammeChange", "Chunk",
    "KnownLayout", "Guideline", "Explanation", "ArchiveUpload", "ArchivePiece",
}  # fmt: skip
STRIDE = 1_000_000  # between the keys of two copies
USUAL = "usual spacer"  # a part that every test of the shop holds
DAYS = 6  # between their days: sessions of one stand do not overlap


def multiply() -> None:
    """Copy what one engine has, tests, pulls and parts, until the shop has ENGINES."""
    copies = ENGINES - 1
    with connection.cursor() as cursor:
        cursor.execute("SET session_replication_role = replica")  # neither checks nor triggers, by the row, of copies
        for model in _models():
            cursor.execute(_copy(model), {"copies": copies})
        for model in _models():
            table, key = model._meta.db_table, model._meta.pk.column
            cursor.execute(
                f"SELECT setval(pg_get_serial_sequence('{table}', '{key}'), max(\"{key}\")) FROM \"{table}\""
            )
        cursor.execute(
            "UPDATE programmes_setup_parts SET part_id = own.id FROM engines_part own, engines_part copy "
            "WHERE own.name = %s AND copy.name LIKE %s AND part_id = copy.id", [USUAL, f"{USUAL} %"]
        )  # fmt: skip
        cursor.execute("DELETE FROM engines_part WHERE name LIKE %s", [f"{USUAL} %"])
        cursor.execute("SET session_replication_role = DEFAULT")
        cursor.execute(
            "INSERT INTO verdicts_programmechange (programme, transaction, at) "
            "SELECT id, txid_current(), now() FROM programmes_programme ON CONFLICT DO NOTHING"
        )
        cursor.execute("VACUUM (ANALYZE)")


def one_engine(operator: Person) -> Programme:
    """One engine with its tests and parts, pulled and accepted, in the database of the run; the first of them."""
    import scenes
    from torvix_core.engine.dimensions import Slot

    from engines.builds.service import describe_engine
    from engines.parts.service import PartFacts, add_part
    from programmes.plan.plans import Plan, PlannedSetup, PlannedVisit, Sweep
    from programmes.plan.saving import plan_programme
    from shop.models import Stand
    from stand.models import Note
    from verdicts.models import Decision

    dice, stand = np.random.default_rng(4), Stand.objects.create(name="Stand for ten seasons")
    build, first = describe_engine(operator, scenes.DAY, "Six", scenes.SIX), None
    manifolds = [scenes.manifold(operator, f"manifold {number}", 420 - 20 * number) for number in range(2 * TESTS + 1)]
    usual = add_part(operator, scenes.DAY, Slot.SPACER, PartFacts(USUAL), {})
    for test in range(TESTS):
        held = [manifolds[0], *manifolds[2 * test + 1 : 2 * test + 3]]
        plan = Plan(
            question=f"Manifold {test}: which?",
            setups=[PlannedSetup(part.name, [part, usual], pulls=2) for part in held],
            order=[*(PlannedVisit(number, 2) for number in range(len(held))), PlannedVisit(0, 1)],
            sweep=Sweep(2000, 6900, scenes.SWEEP_RATE), range_rpm=(3000, 6000),
        )  # fmt: skip
        programme = plan_programme(operator, scenes.DAY, build, plan)
        opened = scenes.session(programme, operator, stand, scenes.DAY + timedelta(days=test))
        setups = list(programme.setups.all())
        for number in range(PULLS):
            setup = setups[min(number * len(setups) // PULLS, 2) if number < PULLS - 2 else 0]
            level = float(1 + dice.normal(0, 0.003) + 0.004 * setup.position)
            pull = scenes.pull(opened, setup, operator, level=level, more=MORE_CHANNELS, tuned=True)
            if number % 4 == 0:
                said = f"stumbles a little at {3000 + 100 * number} rpm, clears after the first jet"
                Note.objects.create(session=opened, pull=pull, text=said, at=pull.armed_at, person=operator)
        Decision.objects.create(programme=programme, setup=setups[1], reason="Gains where it is driven.",
                                by=operator, at=opened.opened_at + timedelta(hours=8))  # fmt: skip
        opened.closed_at = opened.opened_at + timedelta(hours=8)
        opened.save()
        first = first or programme
    for spare in range(SPARE):
        lines = {"intake_duration_050": f"{216 + 4 * spare}"}
        add_part(operator, scenes.DAY, Slot.CAMSHAFT, PartFacts(f"cam {216 + 4 * spare}"), lines)
    assert first is not None
    return first


def long_test(operator: Person) -> Programme:
    """A test with LONG pulls, in one session."""
    import scenes

    from shop.models import Stand

    dice = np.random.default_rng(5)
    programme = scenes.programme(operator, setups=6, engine="Six that is pulled all week", parts="long manifold")
    stand, _ = Stand.objects.get_or_create(name="Stand of a long week")
    opened = scenes.session(programme, operator, stand, scenes.DAY + timedelta(days=90))
    setups = list(programme.setups.all())
    for number in range(LONG):
        setup = setups[number * len(setups) // LONG]
        scenes.pull(
            opened, setup, operator, level=float(1 + dice.normal(0, 0.003) + 0.004 * setup.position), tuned=True
        )
    return programme


def _models() -> Iterator[type[models.Model]]:
    for label in COPIED:
        for model in apps.get_app_config(label).get_models(include_auto_created=True):
            if model.__name__ not in THE_SHOPS:
                yield model


def _copy(model: type[models.Model]) -> str:
    columns, values = [], []
    for field in model._meta.concrete_fields:
        column = f'"{field.column}"'
        columns.append(column)
        values.append(_value(field, f"t.{column}"))
    table = model._meta.db_table
    return (f'INSERT INTO "{table}" ({", ".join(columns)}) SELECT {", ".join(values)} '
            f'FROM "{table}" t, generate_series(1, %(copies)s) k')  # fmt: skip


def _value(field: models.Field, column: str) -> str:
    related = field.related_model
    if field.primary_key and related is None:
        return f"{column} + k * {STRIDE}"
    if isinstance(related, type) and related in set(_models()):
        return f"{column} + k * {STRIDE}"
    if isinstance(field, models.DateTimeField):
        return f"{column} - k * interval '{DAYS} days'"
    if field.name == "torque" and isinstance(field, ArrayField):
        # Each copy a little stronger or weaker, each pull too.
        share = "(1 + 0.02 * sin(k) + 0.002 * sin(k * 7 + t.id))"
        return f"(SELECT array_agg(v * {share} ORDER BY place) FROM unnest({column}) WITH ORDINALITY AS u(v, place))"
    if field.name == "name" and isinstance(field, models.CharField):
        return f"CASE WHEN {column} = '' THEN '' ELSE left({column} || ' ' || k, {field.max_length}) END"
    return column
