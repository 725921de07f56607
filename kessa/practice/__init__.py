"""The practice bench: made-up water, lessons, and who may do which test alone. Nothing of it reaches the log."""
