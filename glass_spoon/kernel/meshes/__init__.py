"""Polygon meshes as values: topology, attributes, and meshes made from surfaces."""
