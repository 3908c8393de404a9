"""What to change on the engine between two pulls, and what that should bring.

`targets` says how far mixture and boost are off (`mixture`, `boost_held`, `helped`). `jet_slope` learns how far the
mixture moves with the jets (`learn`), `mixture_power` what the mixture is worth (`learn_power`). `mixture_reading`
holds a mixture curve against its band and bank against bank (`read_mixture`, `read_banks`), `mixture_advice` suggests
jets or fuel (`advise`, `advise_fuel`), `spark_ladder` reads a ladder of ignition timing (`read_ladder`).
"""
