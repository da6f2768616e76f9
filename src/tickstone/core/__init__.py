"""Computation by subject: arrays, numbers and frozen dataclasses in and out. No files, network, database or
clock."""
