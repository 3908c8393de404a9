"""Two records that may be one part: pointed out, linked, merged, or said to be two."""
