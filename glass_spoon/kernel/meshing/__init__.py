"""From surfaces to quads: counts, caps, fills, sets."""
