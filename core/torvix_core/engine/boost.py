"""Boost on paper: pressure ratio and the speed of a belt-driven blower."""

from __future__ import annotations

from numpy.typing import ArrayLike
from torvix_core.units.checked import Array, finite, positive

AIR_EXPONENT = 0.2857  # (γ − 1)/γ of air
EFFICIENCIES = (0.55, 0.75)  # of a compressor: a blower with lobes to a good turbocharger [prac]


def pressure_ratio(ambient: ArrayLike, boost: ArrayLike) -> Array:
    """Absolute pressure after the compressor over that before it.

    Shapes: the arguments broadcast.
    Units:  Pa absolute, Pa above ambient; result [-].
    Errors: ValueError naming the argument.
    Source: definition.
    >>> round(float(pressure_ratio(101_325.0, 101_325.0)), 3)
    2.0
    """
    air = positive("ambient", ambient)
    return (air + finite("boost", boost)) / air


def blower_speed(speed_rpm: ArrayLike, crank_pulley: ArrayLike, blower_pulley: ArrayLike) -> Array:
    """Speed of a belt-driven blower, without slip.

    Shapes: the arguments broadcast.
    Units:  rpm of the crank, both pulleys in one unit of length; result rpm.
    Errors: ValueError naming the argument.
    Source: belt geometry [phys]; 3.6 to 3.4 in is +5.9 % [prac].
    >>> round(float(blower_speed(6000.0, 7.2, 3.6)))
    12000
    """
    drive = positive("crank_pulley", crank_pulley) / positive("blower_pulley", blower_pulley)
    return finite("speed_rpm", speed_rpm) * drive


def boost_after_pulley(ambient: ArrayLike, boost: ArrayLike, drive_before: ArrayLike, drive_after: ArrayLike) -> Array:
    """Boost to expect of a blower with displacement of its own once its drive is another.

    Shapes: the arguments broadcast.
    Units:  Pa absolute, Pa above ambient; both drives as turns of the blower per turn of the crank.
    Errors: ValueError naming the argument.
    Source: the blower moves air with its turns, so the pressure ratio goes with the drive [phys]; seen: 3.6 to 3.4 in
            took 6.8 psi to 8.8, where this gives 8.1 [prac].
    >>> round(float(boost_after_pulley(14.7, 6.8, 1 / 3.6, 1 / 3.4)), 1)
    8.1
    """
    air = positive("ambient", ambient)
    faster = positive("drive_after", drive_after) / positive("drive_before", drive_before)
    return air * (pressure_ratio(ambient, boost) * faster - 1)


def charge_temperature(inlet: ArrayLike, ratio: ArrayLike, efficiency: ArrayLike) -> Array:
    """Temperature of the charge after the compressor and before any cooler.

    Shapes: the arguments broadcast.
    Units:  K, pressure ratio [-], efficiency [-]; result K.
    Errors: ValueError naming the argument.
    Source: isentropic compression over its efficiency [phys]; domain rule T2 = T1·(1 + (PR^0.2857 − 1)/η).
    >>> round(float(charge_temperature(298.15, 2.0, 0.7)) - 273.15)
    118
    """
    kelvin = positive("inlet", inlet)
    return kelvin * (1 + (positive("ratio", ratio) ** AIR_EXPONENT - 1) / positive("efficiency", efficiency))
