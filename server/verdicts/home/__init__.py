"""The tests of the shop as a board: where each stands, what it says so far, and what needs a hand."""
