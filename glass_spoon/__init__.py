"""Glass Spoon: build sheets for curves, surfaces and even quad meshes."""

__version__ = "0.1.0"
