"""Guided procedures that end in measured constants: what is wanted, when it may be taken, what it says."""
