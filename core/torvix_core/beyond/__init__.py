"""Beyond what was tested: what a result may say of another engine, as a band that is never ranked.

`transfer.speed_scale` and `transfer.transfer` carry a gain; `transfer.learned_spread` says how far engines differ.
"""
