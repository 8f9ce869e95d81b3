"""Plain words to the fields of a line, a file for what kind of field they fill."""
