"""Wiring: which pin goes where, what would go wrong, and what mends it."""
