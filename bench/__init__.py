"""Benchmarks against reference libraries in the same run. Run by hand: bench/run; JSON on standard output."""
