"""What a result means: limits, the place's own past, how it is written, what to do next."""
