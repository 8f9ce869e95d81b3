"""From values to what templates and the board print: no decisions, only words and numbers."""
