"""Printed tables off a picture. `sheet` reads one (`read`): `straighten` makes the page even and upright, `cells` finds
its lines and columns, `characters` reads them, `number_text` weighs several readings of a cell, `printed_columns` says
which column is which (`recognize`). `cross_check` holds the figures against the physics of the job."""
