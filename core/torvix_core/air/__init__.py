"""How much air an engine breathed, and what its power would have been in reference air.

`air` makes moist air of whatever was read: `air_from_relative_humidity`, `air_from_dew_point`, `air_from_wet_bulb`.
`standards` has the factor of each correction standard and says where it holds: `correction`, and one function for each
standard. `weather` turns a barometer and a log through the day into the air of a pull: `station_pressure`,
`interpolate_log`, `factor_error`.
"""
