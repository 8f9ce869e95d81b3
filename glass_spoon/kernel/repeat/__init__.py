"""Items placed and repeated."""
