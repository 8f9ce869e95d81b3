"""Curves out of curves: placed, rounded, offset, joined, aligned."""
