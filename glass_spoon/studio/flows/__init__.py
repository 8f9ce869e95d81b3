"""Use cases, one a file: check, then act in one transaction."""
