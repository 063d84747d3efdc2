"""Benchmarks: ratios against a peer or a limit measured in the same run."""
