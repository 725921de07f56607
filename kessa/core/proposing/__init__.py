"""What to do with a water system: from what is known of it, what was found and what is at hand, to steps in order."""
