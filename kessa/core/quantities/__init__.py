"""Amounts: units, chemical forms, a value with its interval, and what may be measured."""
