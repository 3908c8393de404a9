"""An engine on paper: what is written down of it and of its parts, and what follows.

`dimensions` lists what can be written down, `settings` what a setup is set to beside its parts, `evidence` settles
which value is used (`settle`), `sheet` holds the settled values, `figures` works out all that follows (`work_out`),
`findings` says what contradicts itself (`find`), `variations` moves one thing (`airflow_by_speed`, `advance_steps`).
The formulas stand in `geometry`, `compression`, `camshaft`, `breathing`, `boost` and `fuel`; `short_block` applies
them to a sheet. `stack` compares and checks setups as stacks of parts (`difference`, `check_fit`, `check_fairness`).
`derived` reads the channels of a pull: filling and consumption.
"""
