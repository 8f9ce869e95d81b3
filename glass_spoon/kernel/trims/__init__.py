"""Where surfaces cross, and faces: surfaces with boundary loops."""
