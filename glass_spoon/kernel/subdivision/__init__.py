"""Subdivision surfaces: refinement of topology, and stencils as sparse matrices."""
