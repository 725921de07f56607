"""Pads, ampoules and cards read from a photograph beside Kessa's printed card: proposed; the eye decides."""
