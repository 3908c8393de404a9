"""The stands of the shop, as the owner arranges them. Bench workers follow the table (commands/follow_stands)."""

from __future__ import annotations

import os
import re
import socket
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection, transaction
from torvix_core.units.quantity_parser import NotUnderstood, read_quantity

from adapters import stand_map
from shop import audit
from shop.models import Person, Shop, SimulatedEngine, Stand
from shop.permissions import require_owner, units_of
from shop.refusals import Invalid, Refusal
from shop.setting_up.service import read_elevation
from stand.models import PullState, Session
from stand.stands import maps

CHANGED = "torvix_stands"  # what is notified when the table of stands changes
HOST = re.compile(r"[\w.:-]{1,200}")
MOVING = (PullState.ARMED, PullState.RUNNING)
PORTS = 500  # of what listens for us on this machine: simulated stands, adapters
MOST_INERTIA = 50.0  # kg·m²; a large water brake with its engine has some 5. Common practice, no source


@dataclass(frozen=True)
class StandDescription:
    """As typed. `worker_elsewhere`: somebody runs ./torvix bench for it on another machine."""

    name: str
    host: str
    port: str
    elevation: str = ""
    inertia: str = ""
    notes: str = ""
    worker_elsewhere: bool = False
    recorder: str = ""  # the folder of a stand that has no line, on the machine that runs Torvix
    map: dict[str, Any] | None = None  # of a stand that speaks an open standard; host and port are then ours to give


@transaction.atomic
def add(by: Person | None, facts: StandDescription, at: datetime) -> Stand:
    """A stand to which a bench worker links from now on. `by` is None at the terminal. Invalid names the fields."""
    _require(by)
    stand = _read(by, Stand(elevation=Shop.here().elevation), facts)
    stand.save()
    _changed(by, f"added the stand {stand} at {stand.host}:{stand.port}", at)
    return stand


@transaction.atomic
def add_simulated(by: Person | None, engine: str, at: datetime) -> Stand:
    """A stand that is a program of ours, to practice on. Its pulls are marked as simulated everywhere."""
    _require(by)
    if engine not in SimulatedEngine.values:
        raise Invalid(
            "There is no such engine.", fields={"engine": f"choose one of {', '.join(SimulatedEngine.values)}"}
        )
    _lock()
    taken = set(Stand.objects.values_list("name", flat=True))
    names = ("Simulated stand", *(f"Simulated stand {number}" for number in range(2, len(taken) + 3)))
    name = next(name for name in names if name not in taken)
    stand = Stand.objects.create(
        name=name, port=_free_port(), simulated=engine, elevation=Shop.here().elevation,
        notes="A program of Torvix: nothing is connected to it.",
    )  # fmt: skip
    _changed(by, f"added the {name.lower()} ({stand.get_simulated_display()})", at)
    return stand


@transaction.atomic
def change(by: Person, stand: Stand, facts: StandDescription, at: datetime) -> Stand:
    """Where its line has moved the worker lets go and links anew: refused while a session is open."""
    _require(by)
    before = _of_worker(stand)
    _read(by, stand, facts)
    if _of_worker(stand) != before:
        _require_no_session(stand, "Address, inertia and worker cannot be changed")
    stand.save()
    _changed(by, f"changed the stand {stand}: {stand.host}:{stand.port}", at)
    return stand


@transaction.atomic
def retire(by: Person, stand: Stand, at: datetime) -> Stand:
    """Its pulls stay; no worker links to it and no session opens on it until it is brought back."""
    _require(by)
    _require_no_session(stand, "It cannot be retired")
    stand.retired_at = at
    stand.save(update_fields=["retired_at"])
    _changed(by, f"retired the stand {stand}", at)
    return stand


@transaction.atomic
def bring_back(by: Person, stand: Stand, at: datetime) -> Stand:
    _require(by)
    _lock()
    wrong: dict[str, str] = {}
    _check_address(stand, wrong)
    if wrong:
        raise Refusal(f"Another stand has its address meanwhile: {wrong['host']}. Move one of them first.")
    stand.retired_at = None
    stand.save(update_fields=["retired_at"])
    _changed(by, f"brought back the stand {stand}", at)
    return stand


@transaction.atomic
def delete(by: Person, stand: Stand, at: datetime) -> None:
    """Only one on which nothing was ever recorded."""
    _require(by)
    if is_used(stand):
        raise Refusal(f"{stand} has sessions, and they stay. Retire it: it leaves the lists.", code="stand_used")
    what = f"deleted the stand {stand}, on which nothing was recorded"
    stand.delete()
    _changed(by, what, at)


def _of_worker(stand: Stand) -> tuple[object, ...]:
    """What its worker was started with; another is started where it changes."""
    return stand.host, stand.port, stand.worker_elsewhere, stand.inertia, stand.map, stand.recorder


def used_ones() -> set[int]:
    return set(Session.objects.order_by().values_list("stand_id", flat=True).distinct())


def is_used(stand: Stand) -> bool:
    return Session.objects.filter(stand=stand).exists()


def address_to_try(host: str, port: str) -> tuple[str, int]:
    """Checked as that of a stand is; Invalid names the fields. Refusal while an engine runs there.

    A stand that takes one line alone may drop its worker's for ours, and nobody would guard the engine.
    """
    wrong: dict[str, str] = {}
    address = _read_address(host, port, wrong)
    if wrong:
        raise Invalid("Nothing can be tried yet: see the fields.", fields=wrong)
    if busy := Stand.objects.filter(host=address[0], port=address[1], sessions__pulls__state__in=MOVING).first():
        raise Refusal(
            f"A pull is armed or running on {busy}. Try its line when the engine is idle.", code="pull_running"
        )
    return address


def _read_address(host: str, port: str, wrong: dict[str, str]) -> tuple[str, int]:
    host, port = host.strip(), port.strip()
    if not HOST.fullmatch(host):
        wrong["host"] = "write a name or an address of the network, such as 192.168.1.20"
    if not port.isdecimal() or not 1 <= int(port) <= 65535:
        wrong["port"] = "write a number from 1 to 65535"
        return host, 0
    return host, int(port)


def _require(by: Person | None) -> None:
    if by is not None:
        require_owner(by)


def _lock() -> None:
    """Two that are added at the same moment see each other."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(hashtext(%s))", [CHANGED])


def _changed(by: Person | None, what: str, at: datetime) -> None:
    audit.note(by, what, at)
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_notify(%s, '')", [CHANGED])  # heard once this is committed


def _require_no_session(stand: Stand, refused: str) -> None:
    if open_now := Session.objects.filter(stand=stand, closed_at=None).select_related("programme").first():
        raise Refusal(
            f"{refused} while a session is open on it: {open_now.programme.question} Close the session first.",
            code="session_open",
        )


def _read(by: Person | None, stand: Stand, facts: StandDescription) -> Stand:
    _lock()
    wrong: dict[str, str] = {}
    stand.name = " ".join(facts.name.split())
    if not stand.name or len(stand.name) > 80:
        wrong["name"] = "write what the stand is called, 80 letters at most"
    elif Stand.objects.filter(name__iexact=stand.name).exclude(pk=stand.pk).exists():
        wrong["name"] = "another stand is called so"
    recorder, stand.recorder = stand.recorder, ""
    if facts.recorder.strip():
        _read_recorder(stand, facts.recorder.strip(), recorder, wrong)
    elif facts.map is None:
        stand.map, (stand.host, stand.port) = "", _read_address(facts.host, facts.port, wrong)
        _check_address(stand, wrong)
    else:
        _read_map(stand, facts, wrong)
    units = units_of(by) if by else Shop.here().units
    try:
        stand.elevation = read_elevation(facts.elevation, units)
    except NotUnderstood as reason:
        wrong["elevation"] = str(reason)
    try:
        typed = facts.inertia.strip()
        stand.inertia = read_quantity(typed, "inertia", units["inertia"], 0.0, MOST_INERTIA).value if typed else None
    except NotUnderstood as reason:
        wrong["inertia"] = str(reason)
    stand.notes, stand.worker_elsewhere = facts.notes.strip(), facts.worker_elsewhere
    if wrong:
        raise Invalid("This stand cannot be saved yet: see the fields.", fields=wrong)
    return stand


def _read_map(stand: Stand, facts: StandDescription, wrong: dict[str, str]) -> None:
    """Its adapter listens on this machine, on a port that is ours."""
    if stand.simulated and not stand.map:
        raise Refusal("The simulated stand speaks the line protocol, and needs no map.")
    if facts.worker_elsewhere:
        wrong["worker_elsewhere"] = "the adapter runs here; where it is to run elsewhere, start ./torvix adapter there"
    try:
        found = maps.checked({**(facts.map or {}), "stand": stand.name})
    except Invalid as invalid:
        wrong.update(invalid.fields)
        return
    if not stand.map:
        stand.host, stand.port = "127.0.0.1", _free_port()
    stand.map = stand_map.write(found)


def _read_recorder(stand: Stand, typed: str, before: str, wrong: dict[str, str]) -> None:
    """A folder of this machine. The stand has no line; its port is one of ours, on which nothing listens."""
    if stand.simulated:
        raise Refusal("The simulated stand speaks the line protocol, and needs no recorder.")
    folder = Path(typed)
    if len(typed) > 400 or not folder.is_absolute():
        wrong["recorder"] = "write the whole path, such as /srv/recorder"
    elif not folder.is_dir():
        wrong["recorder"] = f"there is no folder {typed} on the machine that runs Torvix"
    elif not os.access(folder, os.R_OK | os.X_OK):
        wrong["recorder"] = f"Torvix may not read {typed}: let its user read the folder"
    elif other := Stand.objects.filter(recorder=typed, retired_at=None).exclude(pk=stand.pk).first():
        wrong["recorder"] = f"{other} has this folder"
    stand.recorder, stand.map, stand.worker_elsewhere = typed, "", False
    if not before:
        stand.host, stand.port = "127.0.0.1", _free_port()


def _check_address(stand: Stand, wrong: dict[str, str]) -> None:
    others = Stand.objects.filter(on_line=True, retired_at=None, host=stand.host, port=stand.port)
    if other := others.exclude(pk=stand.pk).first():
        wrong["host"] = f"{other} has this address and port"


def _free_port() -> int:
    """One of this machine on which nothing listens and which no stand has."""
    taken = set(Stand.objects.values_list("port", flat=True))
    first = settings.FIRST_STAND_PORT
    for port in range(first, first + PORTS):
        if port in taken:
            continue
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise Refusal(f"No port from {first} to {first + PORTS - 1} is free on this machine.")
