"""Describe engines and parts."""

from __future__ import annotations

from torvix_core import geometry

from engines.models import Build, Engine, Part


def describe_engine(
    name: str, *, bore: float, stroke: float, cylinders: int, redline_rpm: float, notes: str = ""
) -> Build:
    """A new engine with its first build; dimensions in m."""
    engine = Engine.objects.create(name=name)
    return Build.objects.create(
        engine=engine, bore=bore, stroke=stroke, cylinders=cylinders, redline_rpm=redline_rpm, notes=notes
    )


def add_part(name: str, slot: str, *, runner_length: float | None = None, notes: str = "") -> Part:
    return Part.objects.create(name=name, slot=slot, runner_length=runner_length, notes=notes)


def displacement(build: Build) -> float:
    """m³."""
    return float(geometry.displacement(build.bore, build.stroke, build.cylinders))
