"""Surfaces that belong together: shared edges, sides, cuts where edges meet."""
