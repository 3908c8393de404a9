"""Links to stands that speak an open industrial standard: on one side that standard, on the other the line protocol."""
