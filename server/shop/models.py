"""People of the shop and the stands it has."""

from __future__ import annotations

from django.contrib.auth.models import AbstractUser
from django.db import models
from django.db.models import Q


class Role(models.TextChoices):
    OWNER = "owner", "Owner"
    OPERATOR = "operator", "Operator"
    VIEWER = "viewer", "Viewer"


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


class Person(AbstractUser):
    """Someone who signs in. Owners arrange, operators plan, run and judge, viewers read."""

    role = models.CharField(max_length=10, choices=Role.choices, default=Role.VIEWER)
    units = models.JSONField(default=default_units)

    class Meta:
        constraints = [
            models.CheckConstraint(condition=Q(role__in=Role.values), name="person_role_is_known"),
        ]

    def __str__(self) -> str:
        return self.get_full_name() or self.username


class Stand(models.Model):
    """An engine stand and where its line is found."""

    name = models.CharField(max_length=80, unique=True)
    host = models.CharField(max_length=200, default="127.0.0.1")
    port = models.PositiveIntegerField(default=7420)
    elevation = models.FloatField(null=True, blank=True, help_text="m above sea level")
    on_line = models.BooleanField(
        default=True, help_text="the bench worker links to it; not where only files tell of it"
    )

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=Q(elevation__isnull=True) | Q(elevation__gte=-430, elevation__lte=5000),
                name="stand_elevation_is_on_earth",
                violation_error_message="The elevation must lie between -430 and 5000 m.",
            ),
            models.CheckConstraint(condition=Q(port__gte=1, port__lte=65535), name="stand_port_is_a_port"),
        ]

    def __str__(self) -> str:
        return self.name
