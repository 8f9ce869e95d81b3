"""Changes of meshes, one file an operation; each returns the mesh and its origin."""
