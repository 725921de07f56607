"""Geometry of the drawings: computed here, drawn by the templates of the same names."""
