"""What a torque curve is worth on the road: the vehicle, its acceleration in each gear, runs and shift speeds.

`vehicle.Vehicle` and `vehicle.Conventions` say what is driven and by which rules; `acceleration.gear_tables` what it
does in each gear; `run.standing_run`, `rolling.rolling_time` and `rolling.grade_held` what comes of it;
`shifts.best_shifts` where to shift; `gearing` the duty of an acceleration through the gears.

Everything takes many curves at once, and nothing is said outside the speeds that a curve was swept
over.
"""
