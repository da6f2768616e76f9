"""Open formats in and out: streams and arrays, no database."""
