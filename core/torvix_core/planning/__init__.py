"""A day on the stand before it begins: the order of the setups, what it costs, and what it would tell.

`changeover` gives the minutes between setups (`minutes`, `matrix`), `day_plan` what a day is planned from, `day` lays
an order on the clock (`schedule`), `order_search` and `running_order` find the best (`solve`). `theory_separation`
says which setup separates two explanations (`separations`), `forecast_score` scores what was predicted (`outcome`,
`tendency`), `claim` reads a claim in words and holds it against an interval (`read_claim`, `check_claim`),
`simulated_days` runs the plan many times (`odds`).
"""
