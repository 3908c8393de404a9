"""Benchmarks. Each figure is a ratio, or a latency, of things measured side by side in one run; nothing is asserted."""
