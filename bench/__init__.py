"""Measurements over the real stack, in ratios of one run where machines differ. Writes docs/benchmarks.md."""
