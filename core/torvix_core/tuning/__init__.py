"""What to change on the engine between two pulls, and what that should bring.

`targets` says how far mixture and boost are off (`mixture`, `boost_held`, `helped`). `jet_slope` learns how far the
mixture moves with the jets (`learn`), `mixture_advice` reads a mixture curve against its band and suggests jets
(`read_mixture`, `advise`), `spark_ladder` finds the best ignition timing of a ladder of pulls (`best_spark`).
"""
