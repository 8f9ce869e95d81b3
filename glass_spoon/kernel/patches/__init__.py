"""Surfaces over boundaries and nets of curves."""
