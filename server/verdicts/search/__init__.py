"""One search over all that the shop wrote down: tests, engines, parts, pulls, notes, decisions and reports."""
