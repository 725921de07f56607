"""Photographs read by machine: a printed card of known colours tells the light, and pads are matched to a scale."""
