"""The HTTP face: one router per noun, wire models, one table from error to status."""
