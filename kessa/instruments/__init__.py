"""Meters, photometers and their checks against standards."""
