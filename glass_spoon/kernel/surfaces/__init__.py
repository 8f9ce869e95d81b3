"""Tensor-product NURBS surfaces: evaluation, editing, revolving, closest points."""
