"""Parts crossed with a level such as boost, and what holds an engine back.

`grid` knows a crossed design and says what a part is worth at each level (`grid_of`, `part_effects`), `level_curves`
what each part makes along the level as reached (`level_curves`), `change_over` who leads where and where one part
overtakes another (`zones`, `crossings`). `boosted` tells boost from breathing and what a miss is worth
(`breathing_split`, `sensitivity`), `restriction` weighs where the restriction is (`weigh`, `hint`).
"""
