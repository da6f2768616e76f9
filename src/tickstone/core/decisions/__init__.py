"""Decisions: thresholds, filters and limits, each with its odds."""
