"""What is on the other side of an adapter: one module for each standard."""
