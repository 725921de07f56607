"""Calibrations: what a meter or photometer made of its standards, and whether it may be used by that."""
