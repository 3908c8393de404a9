"""One pull: from raw samples to a curve, what guards it while it runs, and whether it may stand beside another.

`trace` checks the samples (`check`); `limits` and `guard` stop a pull that crosses one; `sweeps` finds a sweep in the
samples of a stand that tells no states. `reduction` makes the curve (`reduce_sweep`), `steps` that of a step test
(`holds`, `reduce_steps`), `inertia` gives what the brake speeds up. `curve` reads peaks and averages, `overlay` lays
two pulls over each other, `anomalies` says what is odd. `published_figures_check` checks figures of others,
`recording_overlap` finds the same samples twice (`overlap`), `comparability` says whether two pulls may be compared
(`compare`), `tune_groups` which tune of a setup stands for it (`standing`, `tune_check`).
"""
