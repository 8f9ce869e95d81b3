"""Wires along curves, in one skin."""
