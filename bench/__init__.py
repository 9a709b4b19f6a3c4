"""Benchmarks, run by hand with `./run bench [NAME…]`. Each prints medians of several runs; nothing
here can fail a test."""
