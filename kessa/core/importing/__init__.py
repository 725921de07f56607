"""Reading what others wrote in tables: numbers, days, and what a column is about."""
