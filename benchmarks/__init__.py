"""Timings, printed as ratios; no test depends on them."""
