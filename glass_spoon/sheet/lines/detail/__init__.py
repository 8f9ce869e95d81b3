"""Work on marked faces, edges and points."""
