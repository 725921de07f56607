"""From taps to a result: events, state, timing, agreement, conclusion."""
