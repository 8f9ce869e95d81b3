"""The Form chapter: surfaces from curves, one module a family of verbs."""
