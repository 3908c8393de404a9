"""Printed tables off a picture: `number_text` weighs several readings of a cell, `printed_columns` says which column is
which (`recognize`), `cross_check` holds the figures against the physics of the job."""
