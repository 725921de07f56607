"""One stream of taps for visits and for the bench: how they come in, and how they are kept."""
