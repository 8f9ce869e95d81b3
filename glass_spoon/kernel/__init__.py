"""Geometry: NumPy in, NumPy out. Lengths in millimetres, angles in radians, float64."""
