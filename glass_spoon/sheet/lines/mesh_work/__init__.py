"""The Mesh chapter: meshes from surfaces, marks on them, and work on them."""
