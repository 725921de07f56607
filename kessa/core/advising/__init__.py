"""What people are told to do: decided once, from all that is newest at a place; the words hang on what was decided."""
