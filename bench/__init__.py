"""Benchmarks: ratios within one run, because machines are noisy. `./run bench` runs them all."""
