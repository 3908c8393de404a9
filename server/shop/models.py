"""The shop, its people and the stands it has."""

from __future__ import annotations

from zoneinfo import available_timezones

from django.conf import settings
from django.contrib.auth.models import AbstractUser
from django.db import models
from django.db.models import Q

from shop.checked_json import CheckedJSONField


class Role(models.TextChoices):
    OWNER = "owner", "Owner"
    OPERATOR = "operator", "Operator"
    VIEWER = "viewer", "Viewer"
    CUSTOMER = "customer", "Customer"


# What each person may choose for each kind of figure; the first is the default.
UNIT_CHOICES = {
    "torque": ("lb-ft", "N·m"),
    "power": ("hp", "kW", "PS"),
    "temperature": ("°C", "°F"),
    "air_pressure": ("kPa", "hPa", "inHg"),
    "oil_pressure": ("bar", "psi", "kPa"),
    "mass_flow": ("kg/h", "lb/h"),
    "length": ("mm", "in"),
    "volume": ("cm³", "in³"),
    "displacement": ("L", "cm³", "in³"),
    "area": ("cm²", "mm²", "in²"),
    "air_flow": ("CFM", "m³/h", "L/s"),
    "boost": ("bar", "psi", "kPa"),
    "vacuum": ("kPa", "inHg"),
    "bench": ("inH2O", "kPa"),
    "velocity": ("m/s", "ft/min"),
    "road_speed": ("km/h", "mph"),
    "mass": ("kg", "lb"),
    "inertia": ("kg·m²", "lb·ft²"),
    "consumption": ("g/kWh", "lb/hp·h"),
    "specific_power": ("hp/L", "kW/L", "hp/in³"),
    "elevation": ("m", "ft"),
    "fuel": ("L", "gal"),
}


def default_units() -> dict[str, str]:
    return {kind: choices[0] for kind, choices in UNIT_CHOICES.items()}


# The units of one workshop or the other; a kind of figure that has none of them keeps its default.
METRIC = ("N·m", "kW", "°C", "kPa", "bar", "kg/h", "mm", "cm³", "L", "cm²", "m³/h", "m/s", "km/h", "kg", "kg·m²",
          "g/kWh", "kW/L", "m")  # fmt: skip
INCH = ("lb-ft", "hp", "°F", "inHg", "psi", "lb/h", "in", "in³", "in²", "CFM", "inH2O", "ft/min", "mph", "lb",
        "lb·ft²", "lb/hp·h", "hp/in³", "ft", "gal")  # fmt: skip
UNIT_SYSTEMS = {"metric": METRIC, "inch": INCH}


def units_of_system(system: str) -> dict[str, str]:
    """A unit for every kind of figure, in the one system of UNIT_SYSTEMS or the other."""
    wanted = UNIT_SYSTEMS[system]
    return {
        kind: next((unit for unit in choices if unit in wanted), choices[0]) for kind, choices in UNIT_CHOICES.items()
    }


# Where most of those who run a dynamometer shop are; a shop elsewhere keeps books in one of these too, or asks for it.
CURRENCIES = ("USD", "EUR", "GBP", "CAD", "AUD", "NZD", "CHF", "SEK", "NOK", "DKK", "PLN", "CZK", "HUF", "JPY", "MXN",
              "BRL", "ARS", "CLP", "ZAR", "AED", "SAR", "INR", "CNY", "KRW", "SGD", "THB", "TRY")  # fmt: skip


class Shop(models.Model):
    """The one shop: its name on what it hands out, its money, its clock, and the units a new person begins with."""

    name = models.CharField(max_length=80)
    currency = models.CharField(max_length=3, default="USD", help_text="ISO 4217")
    time_zone = models.CharField(max_length=64, default="UTC", help_text="of the IANA database")
    units = CheckedJSONField(shape=dict[str, str], default=default_units)
    elevation = models.FloatField(null=True, blank=True, help_text="m above sea level; of a new stand")

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(pk=1), name="shop_is_one"),
            models.CheckConstraint(condition=Q(currency__in=CURRENCIES), name="shop_currency_is_known"),
            models.CheckConstraint(
                condition=Q(elevation__isnull=True) | Q(elevation__gte=-430, elevation__lte=5000),
                name="shop_elevation_is_on_earth",
            ),
        ]

    def __str__(self) -> str:
        return self.name

    @classmethod
    def here(cls) -> Shop:
        """The shop as it was set up; one that nobody has set up yet keeps the clock of the machine."""
        return cls.objects.first() or cls(pk=1, name="", time_zone=settings.TIME_ZONE)


REGIONS = ("Africa/", "America/", "Antarctica/", "Asia/", "Atlantic/", "Australia/", "Europe/", "Indian/", "Pacific/")


def time_zones() -> list[str]:
    """Those that a person would look for, by region and city."""
    return sorted(zone for zone in available_timezones() if zone == "UTC" or zone.startswith(REGIONS))


class Person(AbstractUser):
    """Someone who signs in. Owners arrange, operators plan, run and judge, viewers read, customers read what is theirs.

    A new `session_round` ends every session of the person.
    """

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
    units = CheckedJSONField(shape=dict[str, str], default=default_units)
    session_round = models.PositiveIntegerField(default=0)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(role__in=Role.values), name="person_role_is_known"),
        ]

    def __str__(self) -> str:
        return self.get_full_name() or self.username

    def get_session_auth_hash(self) -> str:
        return f"{super().get_session_auth_hash()}:{self.session_round}"


class AuditEntry(models.Model):
    """Who arranged what in the shop: people, stands, limits. Never changed."""

    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, related_name="+",
                           help_text="nobody where it was done at the terminal")  # fmt: skip
    what = models.CharField(max_length=300)

    class Meta:
        ordering = ["-at", "-pk"]

    def __str__(self) -> str:
        return self.what


class SimulatedEngine(models.TextChoices):
    """What a simulated stand has on it (standin/)."""

    SIX = "six", "2.9 L six with carburetors"
    FOUR = "four", "2.0 L four with a turbocharger"
    EIGHT = "eight", "5.7 L eight with a carburetor or a blower"


class Stand(models.Model):
    """An engine stand and where its line is found.

    Torvix runs a bench worker for it where `on_line` is set and it is not retired; with `worker_elsewhere` one is
    run on another machine. One with a `simulated` engine is a program of ours, run beside its worker; for one with a
    `map` an adapter runs there, and `host` and `port` are the adapter's; a simulated engine then speaks the standard of
    the map. One with a `recorder` has no line: files that are finished in that folder become its pulls.
    """

    name = models.CharField(max_length=80, unique=True)
    host = models.CharField(max_length=200, default="127.0.0.1")
    port = models.PositiveIntegerField(default=7420)
    elevation = models.FloatField(null=True, blank=True, help_text="m above sea level")
    on_line = models.BooleanField(
        default=True, help_text="the bench worker links to it; not where only files tell of it"
    )
    simulated = models.CharField(max_length=5, choices=SimulatedEngine.choices, blank=True)
    worker_elsewhere = models.BooleanField(default=False, help_text="./torvix bench runs on another machine")
    map = models.TextField(blank=True, help_text="as TOML, by which an adapter reads it (docs/adapters.md)")
    recorder = models.CharField(
        max_length=400, blank=True, help_text="folder into which its recorder writes files, where it has no line"
    )
    inertia = models.FloatField(null=True, blank=True, help_text="kg·m² of the rotating parts, as the owner knows it")
    notes = models.TextField(blank=True)
    retired_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(elevation__isnull=True) | Q(elevation__gte=-430, elevation__lte=5000),
                name="stand_elevation_is_on_earth",
                violation_error_message="The elevation must lie between -430 and 5000 m.",
            ),
            models.CheckConstraint(condition=Q(port__gte=1, port__lte=65535), name="stand_port_is_a_port"),
            models.CheckConstraint(
                condition=Q(simulated__in=["", *SimulatedEngine.values]), name="stand_engine_is_known"
            ),
        ]

    def __str__(self) -> str:
        return self.name
