"""An engine on paper: what is written down of it and of its parts, and what follows.

`dimensions` lists what can be written down, `evidence` settles which value is used (`settle`), `sheet` holds the
settled values, `figures` works out all that follows (`work_out`), `findings` says what contradicts itself (`find`),
`variations` moves one thing (`airflow_by_speed`, `advance_steps`). The formulas stand in `geometry`, `compression`,
`camshaft`, `breathing`, `boost` and `fuel`; `short_block` applies them to a sheet. `stack` compares and checks setups
as stacks of parts (`difference`, `check_fit`, `check_fairness`). `derived` and `tuning` read the channels of a pull:
filling, consumption, mixture and boost (`derived.derived`, `tuning.mixture`, `tuning.boost_held`).
"""
