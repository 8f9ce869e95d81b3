"""The Shape chapter: maps of space on anything, each of which is undone by pausing its line."""
