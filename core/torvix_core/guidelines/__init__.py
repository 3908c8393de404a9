"""What tests say together of one deciding variable: a slope for each, pooled over engines, and what may be said of it.

`slope.slope_of` reads one test, `pooling.pool` several engines, `standing.stands` says how a statement fares.
"""
