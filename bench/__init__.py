"""Benchmarks: each prints ratios against a floor measured in the same run."""
