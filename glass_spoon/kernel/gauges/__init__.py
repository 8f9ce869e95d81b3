"""Figures of quality of a mesh: each a pure function that gives a reading with its limit and its offenders."""
