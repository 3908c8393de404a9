"""Pulls that lie on the shop's shelf as files of another stand, and a printed sheet: brought in as anybody would."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from typing import Any

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from numpy.typing import NDArray
from torvix_core.units import quantities

from curves.files.mapping import Mapped
from curves.intake import imports
from curves.intake.filing import FilingPlace
from curves.manual_entry import service as manual_entry
from curves.models import PrintedSheet
from curves.printed_sheets import service as printed_sheets
from programmes.models import Programme, Setup
from shop.models import Person
from stand.pulls.arming import bolted_on
from standin.engine import SIX
from standin.printed_sheet import Condition, PrintedTable
from standin.printed_sheet import picture as photograph
from standin.stand import Stand as SimulatedStand

RATE_HZ, SWEEP_RPM_S, FIRST_RPM, LAST_RPM = 50.0, 350.0, 2000.0, 6600.0
HEADS = ("Time", "Engine speed", "Torque", "Lambda", "Oil temp", "Water temp")
UNIT = {"rpm": "", "torque": "(lb-ft)", "power": "(hp)"}  # of the printed sheet's heads
UNITS = ("s", "rpm", "Nm", "-", "°C", "°C")


class Silent:
    """Somebody who waits for a job without a queue."""

    def wanted(self) -> bool:
        return True

    def tell(self, done: int = 0, total: int = 0, progress_text: str = "") -> None:
        pass


def bring(programme: Programme, given: Mapping[str, Any], person: Person, at: datetime) -> None:
    """Every file and sheet of a programme that was never run here."""
    setups, dice = list(programme.setups.all()), np.random.default_rng(given["seed"])
    where = FilingPlace(
        day=date.fromisoformat(given["day"]), stand_name=given["stand"], fuel=given["fuel"],
        inertia_in_torque="included",
        barometer=float(quantities.to_si(given["barometer_kpa"], "kPa")),
        air_temperature=float(quantities.to_si(given["air_c"], "°C")), relative_humidity=given["humidity"], keep=True,
    )  # fmt: skip
    batch = imports.begin(person, programme, at)
    placings, layouts = {}, {}
    for one in given["files"]:
        content = _file(programme, setups[one["setup"]], one, dice)
        taken = imports.take(person, batch, one["name"], content)
        placings[taken.pk] = imports.FilePlacing(setups[one["setup"]].pk)
        mapped = [
            Mapped(column["name"], column["channel"], column["mapped_unit"]) for column in taken.layout["columns"]
        ]
        layouts[taken.layout_key] = imports.LayoutChoice(mapped, is_table=False)
    job = imports.run(person, batch, layouts, placings, where, at)
    imports.work(job.arguments, Silent())
    # The work is done here and now: nothing is left for a worker.
    job.delete()
    for sheet in given["sheets"]:
        picture = _photographed(programme, sheet, person, at)
        figures = manual_entry.read(sheet["text"], "lb-ft", "hp")
        written = manual_entry.Written(figures, source=sheet["source"])
        manual_entry.write(person, programme, setups[sheet["setup"]], written, FilingPlace(
            day=where.day, stand_name=where.stand_name, fuel=where.fuel, figures_standard="observed",
            barometer=where.barometer, air_temperature=where.air_temperature, relative_humidity=where.relative_humidity,
            keep=True), at, picture)  # fmt: skip


def _photographed(programme: Programme, given: Mapping[str, Any], person: Person, at: datetime) -> PrintedSheet:
    """The sheet as it hangs on the wall, read by the job as any picture is."""
    heads, *rows = [line.split() for line in given["text"].strip().splitlines()]
    table = PrintedTable(given["source"], [f"{head} {UNIT[head]}".strip() for head in heads], rows)
    look = Condition("typewriter", 26, skew_deg=-2.5, noise=0.03, fading=0.35, shadow=0.3, desk=True, tilt=0.02)
    file = SimpleUploadedFile("sheet from the lake.jpg", photograph(table, look))
    made = printed_sheets.add(person, programme, file, at)
    assert made.job is not None
    printed_sheets.work(made.job.arguments, Silent())
    made.job.delete()
    made.refresh_from_db()
    return made


def _file(programme: Programme, setup: Setup, given: Mapping[str, Any], dice: np.random.Generator) -> bytes:
    """A sweep as another stand saved it: semicolons, decimal commas, units in a row of their own."""
    time, speed, torque = _sweep(programme, setup, given["worth"], dice)
    water = given.get("water_c", 84.0)
    columns = [
        time, speed, torque, 0.872 + dice.normal(0, 0.002, len(time)),
        89 + 0.2 * time + dice.normal(0, 0.05, len(time)), water + 0.1 * time + dice.normal(0, 0.05, len(time)),
    ]  # fmt: skip
    lines = [f"{given['name']};;;;;", ";".join(HEADS), ";".join(UNITS)]
    lines += [";".join(f"{value:.3f}" for value in row).replace(".", ",") for row in zip(*columns, strict=True)]
    return ("\n".join(lines) + "\n").encode("cp1252")


def _sweep(
    programme: Programme, setup: Setup, worth: float, dice: np.random.Generator
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Time, rpm and N·m: what the simulated six makes, with the load-in and the noise of a stand."""
    stand = SimulatedStand(engine=SIX)
    stand.command("fit", bolted_on(programme, setup))
    time = np.arange(0, 1.0 + (LAST_RPM - FIRST_RPM) / SWEEP_RPM_S, 1 / RATE_HZ)
    speed = np.clip(FIRST_RPM + SWEEP_RPM_S * (time - 0.6), FIRST_RPM, None)
    grid = np.arange(FIRST_RPM, LAST_RPM + 300, 100)
    torque = np.interp(speed, grid, stand.truth(grid.tolist(), skin=46.0)) * worth
    torque *= 1 + 0.02 * np.exp(-np.maximum(0.0, time - 0.6) / 0.15) * (time > 0.3)
    return time, speed + dice.normal(0, 2, len(time)), torque + dice.normal(0, 0.9, len(time))
