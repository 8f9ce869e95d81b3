"""NURBS curves: evaluation, editing, fitting, measuring."""
