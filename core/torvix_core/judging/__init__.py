"""Which setup is better for the use, by how much, and how sure that is.

`duty` weights the speed range (`weights`, `score`). `leave_one_out` excludes each pull in turn. `design_matrix` says
which pull is of which setup, `effects` tells setup, session and drift apart (`fit`), `representative_pull` lets
another pull stand for a setup (`stand_for`), `multiple_comparisons` has the critical values for many comparisons.
`win_probability` draws how likely each is best, `verdict` ranks and groups (`rank`, `washes`), `lead_strip` says who
leads where, `ladder` and `slot_effects` say what steps and parts are worth, `sentences` puts it in words. `design`
and `repeats` say beforehand what a set of setups and a number of pulls can tell (`questions`, `pulls_needed`).
"""
