"""The Place chapter: verbs on any item."""
