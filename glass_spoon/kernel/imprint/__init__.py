"""Edges of a quad mesh laid along curves that cross it: cuts, bodies united, walls through them, rounded seams."""
