"""Values at the edges: what a person or a stand writes, to SI and back, and bad arguments refused by name.

`quantities` knows the units and how many digits each is shown with: `to_si`, `from_si`, `to_si_rule`, `units_of`,
`measures`, `words`, `percent`. `quantity_parser` reads what somebody typed: `read_quantity`, `read_count`. `checked`
refuses arguments by name: `finite`, `positive`, `same_length`.
"""
