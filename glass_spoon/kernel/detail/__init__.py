"""Work on marked faces, edges and points: pulled out, inset, bevelled, bridged, filled, moved; one file an operation."""
