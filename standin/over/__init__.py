"""The simulated stand over open industrial standards, to try an adapter against: each with a map that fits."""
