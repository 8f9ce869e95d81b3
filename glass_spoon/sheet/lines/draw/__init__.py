"""The Draw chapter: curves from points, shapes, drawings and views, and work on curves."""
