"""Curves out of sizes, places and functions."""
