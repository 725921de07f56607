"""The core spoken to in JSON lines."""
