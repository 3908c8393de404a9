"""Files that somebody brings: taken as they are, recognised, mapped, and read by a job."""

from __future__ import annotations

import hashlib
import logging
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import date, datetime
from typing import Any

import numpy as np
from django.db import InterfaceError, OperationalError, transaction
from django.db.models import Max
from torvix_core.engine.fuel import FUELS, Fuel
from torvix_core.pull.recording_overlap import Overlap
from torvix_core.units import grammar

from curves.files import mapping, segments
from curves.files.apart import read_table_apart
from curves.files.mapping import Mapped
from curves.files.table import LARGEST_FILE, FileColumn, FileProblem, FileTable
from curves.intake import known_recordings, running_order
from curves.intake.filing import FiledPull, FilingPlace, checked, join, keep
from curves.intake.reading import FileRead, FileToRead, LayoutChoice, read_file
from curves.models import FileState, Import, KnownLayout, SourceFile
from engines.sheet import sheets
from jobs import kinds
from jobs import service as jobs
from jobs.kinds import Queue, Watch
from jobs.models import Job
from programmes.models import Programme, Setup
from shop.models import Person
from shop.permissions import require_operator
from shop.refusals import Invalid, Refusal
from stand.models import Pull, PullOrigin

log = logging.getLogger(__name__)
KIND = "import_files"
MOST_FILES = 1000
AT_ONCE = 20  # files kept in one transaction
SHOWN_ROWS = 4
OUR_FAULT = "It could not be read by a fault of the application, which is in the log. The other files are not touched."
GASOLINE = 14.7  # kg of air for one of fuel, where the build does not say what it burns


def begin(person: Person, programme: Programme, at: datetime) -> Import:
    require_operator(person)
    return Import.objects.create(programme=programme, by=person, at=at)


def unfinished(person: Person, programme: Programme) -> Import | None:
    """What the person gave last, while some of it waits or is being read: a window that was closed finds it again."""
    require_operator(person)
    last = Import.objects.filter(programme=programme, by=person).first()
    if last is None or jobs.is_going_on(last.job_id) or last.files.filter(state=FileState.WAITING).exists():
        return last
    return None


def take(person: Person, batch: Import, name: str, content: bytes) -> SourceFile:
    """Keep one file as it came, and look what is in it. A file that cannot be read is told, and not kept."""
    require_operator(person)
    if jobs.is_going_on(batch.job_id):
        raise Refusal("These files are being read now. Wait for the end, or begin another import.", code="import_begun")
    if batch.files.count() >= MOST_FILES:
        raise Refusal(f"{MOST_FILES} files are read at once. Read these first.", code="too_many_files")
    parts: list[tuple[int, int]] = []
    name = "".join(letter for letter in name if letter.isprintable())[:200] or "file"
    file = SourceFile(batch=batch, name=name, sha256=hashlib.sha256(content).hexdigest(), size=len(content))
    seen = SourceFile.objects.filter(batch__programme=batch.programme_id, sha256=file.sha256)
    twin = seen.filter(state=FileState.READ).select_related("pull").first()
    try:
        if len(content) > LARGEST_FILE:
            raise FileProblem(f"it is {len(content) / 1e6:.0f} MB; at most {LARGEST_FILE / 1e6:.0f} MB are read")
        if twin and twin.pull:
            file.state, file.outcome = FileState.DUPLICATE, f"The very file that pull {twin.pull.number} came from."
        elif seen.filter(batch=batch).exists():
            file.state, file.outcome = FileState.DUPLICATE, "The same file was given twice."
        elif lines := running_order.read_manifest(content):
            file.state, file.outcome = FileState.MANIFEST, f"It says where {len(lines)} files belong."
            batch.manifest = [asdict(line) for line in lines]
            batch.save(update_fields=["manifest"])
        else:
            table = read_table_apart(content)
            file.layout, file.layout_key, file.content = _described(table), mapping.layout_key(table), content
            parts = _parts(table)
    except FileProblem as problem:
        file.state, file.outcome = FileState.REFUSED, _sentence(str(problem))
    except Exception:
        log.exception("%s could not be looked into", file.name)
        file.state, file.outcome = FileState.REFUSED, OUR_FAULT
    if len(parts) > 1:
        return _split(file, parts)
    file.save()
    return file


def _parts(table: FileTable) -> list[tuple[int, int]]:
    """Rows of each run that a file holds, as far as its guessed columns tell; a reduced table is one."""
    guess = mapping.guess(table)
    columns = {one.channel: column.values for one, column in zip(guess.mapped, table.columns, strict=True)}
    if guess.is_table or mapping.SPEED not in columns:
        return []
    return segments.runs_of(columns.get(mapping.TIME), columns[mapping.SPEED])


def _split(file: SourceFile, parts: Sequence[tuple[int, int]]) -> SourceFile:
    """A file that holds several runs waits as so many: each becomes a pull of its own."""
    made = []
    for number, (begin, end) in enumerate(parts, start=1):
        notes = [*file.layout["notes"], f"It holds {len(parts)} runs: each becomes a pull of its own."]
        made.append(
            SourceFile(
                batch=file.batch,
                name=f"{file.name[:180]} ({number} of {len(parts)})",
                size=file.size,
                content=file.content,
                sha256=file.sha256 if number == 1 else hashlib.sha256(f"{file.sha256} {number}".encode()).hexdigest(),
                layout={**file.layout, "rows": end - begin, "from_row": begin, "to_row": end, "notes": notes},
                layout_key=file.layout_key,
            )
        )
    SourceFile.objects.bulk_create(made)
    return made[0]


def _sentence(told: str) -> str:
    return (told[:1].upper() + told[1:])[:499].rstrip(".") + "."


def _described(table: FileTable) -> dict[str, Any]:
    """What a person must see of a file to map it."""
    guess = mapping.guess(table)
    columns = []
    for column, mapped in zip(table.columns, guess.mapped, strict=True):
        given = column.values[np.isfinite(column.values)]
        columns.append({
            "name": column.name, "unit": column.unit, "channel": mapped.channel, "mapped_unit": mapped.unit,
            "first": [_short(value) for value in column.values[:SHOWN_ROWS]],
            "low": _short(given.min()) if len(given) else "", "high": _short(given.max()) if len(given) else "",
        })  # fmt: skip
    return {
        "kind": table.kind, "rows": table.rows, "columns": columns, "is_table": guess.is_table,
        "doubts": list(guess.doubts), "notes": [*table.notes, *mapping.notes_of(table, guess.mapped)],
        "start": start.text if (start := running_order.read_start("\n".join(table.preamble))) else "",
    }  # fmt: skip


def _short(value: float) -> str:
    return f"{value:.6g}" if np.isfinite(value) else ""


def remembered(keys: Sequence[str]) -> dict[str, LayoutChoice]:
    """What was settled before for files of these layouts."""
    return {known.key: _choice(known.mapping) for known in KnownLayout.objects.filter(key__in=keys)}


def _choice(kept: Mapping[str, Any]) -> LayoutChoice:
    return LayoutChoice([Mapped(**kept_pull) for kept_pull in kept["mapped"]], kept["is_table"], kept["rate_hz"])


@dataclass(frozen=True)
class FilePlacing:
    """Where one file belongs: its setup, its session by name, and when it began, as typed."""

    setup_id: int
    session: str = ""
    start: str = ""


def run(
    person: Person, batch: Import, layouts: Mapping[str, LayoutChoice], placings: Mapping[int, FilePlacing],
    where: FilingPlace, at: datetime,
) -> Job:  # fmt: skip
    """Check what was settled, remember it, and put the reading into the queue; `placings` in the running order."""
    with transaction.atomic():  # whoever sees that a layout is known now sees that its files are being read, too
        arguments = settle(person, batch, layouts, placings, where, at)
        job = jobs.ask(
            person, KIND, f"import {batch.pk}", arguments, at,
            about=f"{grammar.counted(len(arguments['files']), 'file')} into {batch.programme}",
        )  # fmt: skip
        batch.job = job
        batch.save(update_fields=["job"])
    return job


def settle(
    person: Person, batch: Import, layouts: Mapping[str, LayoutChoice], placings: Mapping[int, FilePlacing],
    where: FilingPlace, at: datetime,
) -> dict[str, Any]:  # fmt: skip
    """What `work` is given, once all of it is in order; the layouts are remembered. Invalid names the fields."""
    require_operator(person)
    if jobs.is_going_on(batch.job_id):
        raise Refusal("These files are being read now.", code="import_begun")
    waiting = list(batch.files.filter(state=FileState.WAITING).defer("content"))
    if not waiting:
        raise Refusal("No file is left to be read.", code="nothing_to_read")
    where = replace(checked(where, at.date()), session_id=batch.session_id)
    wrong: dict[str, str] = {}
    known = set(Setup.objects.filter(programme=batch.programme_id).values_list("pk", flat=True))
    for file in waiting:
        placing = placings.get(file.pk)
        if placing is None or placing.setup_id not in known:
            wrong.setdefault(f"setup_{file.pk}", f"say which setup {file.name} is of")
        elif placing.start.strip() and running_order.read_start(placing.start) is None:
            wrong[f"start_{file.pk}"] = "a time of day such as 14:05, or with its day, 2026-03-04 14:05"
    for key in {file.layout_key for file in waiting}:
        choice = layouts.get(key)
        if choice is None:
            wrong[f"layout_{key}"] = "say which column is what"
            continue
        if problems := _problems(choice, next(file for file in waiting if file.layout_key == key)):
            wrong[f"layout_{key}"] = " ".join(problems)
        if choice.is_table and not where.figures_standard:
            wrong["figures_standard"] = "say whether the figures are observed or corrected, or that nobody knows"
    if wrong:
        raise Invalid("The files cannot be read like that: see the marked places.", fields=wrong)
    # With the job, too: somebody else may settle files of the same make otherwise before it runs.
    kept = {key: asdict(layouts[key]) for key in {file.layout_key for file in waiting}}
    for key, mapping_of in kept.items():
        KnownLayout.objects.update_or_create(key=key, defaults={"mapping": mapping_of, "by": person, "at": at})
    as_text = {**asdict(where), "day": where.day.isoformat(), "opens": None, "closes": None}
    mine = {file.pk for file in waiting}
    ordered = {key: placing for key, placing in placings.items() if key in mine}
    return {
        "import": batch.pk, "person": person.pk, "layouts": kept, "where": as_text, "at": at.isoformat(),
        "files": [{"id": key, **asdict(placing)} for key, placing in ordered.items()],
    }  # fmt: skip


def _problems(choice: LayoutChoice, file: SourceFile) -> list[str]:
    """By the columns that were found when the file was taken."""
    columns = [FileColumn(one["name"], one["unit"], np.empty(0)) for one in file.layout["columns"]]
    return mapping.checked(choice.mapped, FileTable(file.layout["kind"], columns), choice.is_table, choice.rate_hz)


def work(given: dict[str, Any], watch: Watch) -> dict[str, Any]:
    """Read every file that waits, and keep what they hold twenty at a time; what was kept stays when it is stopped."""
    batch = Import.objects.select_related("programme__build").get(pk=given["import"])
    person = Person.objects.get(pk=given["person"])
    where = FilingPlace(**{**given["where"], "day": date.fromisoformat(given["where"]["day"])})
    setups = {setup.pk: setup for setup in batch.programme.setups.all()}
    placings = {one["id"]: FilePlacing(one["setup_id"], one["session"], one["start"]) for one in given["files"]}
    places = _places(where, placings)
    still = set(batch.files.filter(state=FileState.WAITING).values_list("pk", flat=True))
    choices = {key: _choice(kept) for key, kept in given["layouts"].items()}
    known, stoichiometric = known_recordings.known_of(batch.programme), _stoichiometric(batch.programme)
    ids = [key for key in placings if key in still]
    number = Pull.objects.filter(session__programme=batch.programme).aggregate(last=Max("number"))["last"] or 0
    done, read, refused, twice = 0, 0, 0, 0
    for begin_at in range(0, len(ids), AT_ONCE):
        if not watch.wanted():
            break
        now = ids[begin_at : begin_at + AT_ONCE]
        files = sorted(SourceFile.objects.filter(pk__in=now), key=lambda file: now.index(file.pk))
        filed: list[tuple[SourceFile, FiledPull]] = []
        for file in files:
            choice, place = choices[file.layout_key], places[file.pk]
            try:
                found = read_file(_to_read(file, choice, stoichiometric, place[0]))
                if twin := known.find(found.speed_torque):
                    file.state, file.outcome = FileState.DUPLICATE, _twin_words(*twin)
                    twice += 1
                else:
                    number += 1
                    known.add(number, found.speed_torque)
                    filed.append((file, _filed(file, found, choice, setups[placings[file.pk].setup_id], place)))
            except FileProblem as problem:
                file.state, file.outcome = FileState.REFUSED, _sentence(str(problem))
                refused += 1
            except Exception:  # each file stands alone: what is wrong with one costs no other
                log.exception("%s could not be read", file.name)
                file.state, file.outcome = FileState.REFUSED, OUR_FAULT
                refused += 1
            done += 1
            watch.tell(done, len(ids), f"{done} of {len(ids)} files")
        kept = _keep_each(person, batch.programme, files, filed, datetime.fromisoformat(given["at"]))
        read += kept
        refused += len(filed) - kept
    return {"read": read, "refused": refused, "known": twice, "left": len(ids) - done}


def _to_read(file: SourceFile, choice: LayoutChoice, stoichiometric: float, where: FilingPlace) -> FileToRead:
    rows = (file.layout["from_row"], file.layout["to_row"]) if "from_row" in file.layout else None
    return FileToRead(file.name, bytes(file.content), rows, choice, stoichiometric, where.options)


def _keep_each(
    person: Person, programme: Programme, files: Sequence[SourceFile], filed: Sequence[tuple[SourceFile, FiledPull]],
    at: datetime,
) -> int:  # fmt: skip
    """How many became pulls: all at once, or where one of them cannot be kept, one after the other."""
    try:
        _keep(person, programme, files, filed, at)
        return len(filed)
    except (OperationalError, InterfaceError):
        raise  # the database is away: they wait until they are asked for again
    except Exception:
        log.exception("%d files could not be kept together", len(filed))
    found = dict(filed)
    count = 0
    for file in files:
        own = [(file, found[file])] if file in found else []
        try:
            _keep(person, programme, [file], own, at)
            count += len(own)
        except (OperationalError, InterfaceError):
            raise
        except Exception:
            log.exception("%s could not be kept", file.name)
            SourceFile.objects.filter(pk=file.pk).update(state=FileState.REFUSED, outcome=OUR_FAULT, content=b"")
    return count


def _keep(
    person: Person, programme: Programme, files: Sequence[SourceFile], filed: Sequence[tuple[SourceFile, FiledPull]],
    at: datetime,
) -> None:  # fmt: skip
    with transaction.atomic():
        pulls = keep(person, programme, [one for _, one in filed], at)
        for (file, one), pull in zip(filed, pulls, strict=True):
            file.state, file.pull = FileState.READ, pull
            if one.where.session_id is not None and "ended" in file.layout:
                join(pull, datetime.fromisoformat(file.layout["ended"]))
            refused = one.curve.refused
            file.outcome = (
                f"Pull {pull.number}, but without a curve: {refused}."[:500] if refused else f"Pull {pull.number}."
            )
        SourceFile.objects.bulk_update(files, ["state", "pull", "outcome"])
        # What became no pull is with whoever brought it; only what was read is kept byte for byte.
        lost = [file.pk for file in files if file.state != FileState.READ]
        SourceFile.objects.filter(pk__in=lost).update(content=b"")


def _places(where: FilingPlace, placings: Mapping[int, FilePlacing]) -> dict[int, tuple[FilingPlace, datetime | None]]:
    """The session and the start of each file. Sessions of one day share it out, in their order."""
    days: dict[int, date] = {}
    starts: dict[int, datetime | None] = {}
    for key, placing in placings.items():
        start = running_order.read_start(placing.start)
        starts[key] = start.at(where.day) if start else None
        days[key] = (start.day if start else None) or where.day
    # A session that begins on one day stays of that day, also past midnight.
    first: dict[str, date] = {}
    for key, placing in placings.items():
        first[placing.session] = min(first.get(placing.session, days[key]), days[key])
    of_day: dict[date, list[str]] = {}
    for key, placing in placings.items():
        day = first[placing.session] if placing.session else days[key]
        days[key] = day
        if placing.session not in of_day.setdefault(day, []):
            of_day[day].append(placing.session)
    return {
        key: (where.on(days[key], of_day[days[key]].index(placing.session), len(of_day[days[key]])), starts[key])
        for key, placing in placings.items()
    }


def _filed(
    file: SourceFile, found: FileRead, choice: LayoutChoice, setup: Setup, place: tuple[FilingPlace, datetime | None]
) -> FiledPull:
    return FiledPull(
        setup=setup,
        origin=PullOrigin.TABLE if choice.is_table else PullOrigin.FILE,
        source=file.name,
        channels=found.channels,
        where=place[0],
        start=place[1],
        curve=found.curve,
        torque_step=found.torque_step,
    )


def _twin_words(number: int, shared: Overlap) -> str:
    if shared.same:
        return f"The same samples as pull {number}: not counted twice."
    if shared.of_second > 0.99:
        return f"A part of pull {number}, cut out of it: not counted twice."
    if shared.of_first > 0.99:
        return f"Pull {number} is a part of it; the rest was not recorded as a pull of its own. Not counted twice."
    return f"It shares {shared.samples} samples with pull {number}: not counted twice."


def _stoichiometric(programme: Programme) -> float:
    fuel = sheets.word(programme.build, "fuel")
    return FUELS[Fuel(fuel)].stoichiometric if fuel in list(Fuel) else GASOLINE


kinds.register(KIND, "Import of files", Queue.LONG, work)
