"""The computation of Torvix: plain functions on arrays, in SI units, without Django or input and output.

Engine speed is the one exception to SI: the trade sweeps, bins and quotes it in revolutions per minute, so
it is `speed_rpm` everywhere, from the raw sample to the verdict.

Marks beside a source: [std] published standard or text, [phys] physics, [prac] common practice of the
trade, no source, [mem] recalled from memory and easy to change.
"""

# Stands beside every curve that was made, and is raised whenever a result can change: `./torvix rebuild` then makes the
# older ones anew. A set of reduced pulls holds it (core/tests/pull/test_golden_reductions.py).
VERSION = "0.1.0"
