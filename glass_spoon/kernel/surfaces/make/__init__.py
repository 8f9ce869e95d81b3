"""Surfaces out of curves, outlines and sizes."""
