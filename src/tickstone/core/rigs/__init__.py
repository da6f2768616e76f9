"""Rigs: the board, the sensors on it, their kinds, and the templates to begin with."""
