"""What ./torvix does with the machine: install, start, check, measure. Standard library only."""
