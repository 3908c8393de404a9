"""A simulated engine stand with its weather station: own process, speaks only the line protocol.

What a part is really worth is known here alone, so that a verdict can be checked against the truth.
"""
