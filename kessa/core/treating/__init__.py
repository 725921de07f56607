"""Amounts for treating a system: how much to dose, to drain, to bleed, and how much a system holds."""
