"""Why a serial line cannot be had, in words for whoever can change it."""

from __future__ import annotations

import serial


def why_not(device: str, error: Exception) -> str:
    """From what opening it said."""
    text = str(error)
    if "Permission denied" in text:
        return f"{device} may not be opened by this user: add the user to the group of the device (dialout on Debian)"
    if "No such file" in text:
        return f"there is no {device}: is it plugged in?"
    if "lock" in text or "busy" in text:
        return f"{device} is used by another program"
    return f"{device} cannot be opened ({error})"


def why_closed(device: str) -> str:
    """By opening it once more, where whoever tried did not say why; "" where it can be opened."""
    try:
        serial.Serial(device, exclusive=True).close()
    except (OSError, ValueError) as error:
        return why_not(device, error)
    return ""
