"""Files of samples and figures: recognised, read into one kind of table, mapped to channels, and written."""
