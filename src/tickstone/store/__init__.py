"""Tables, and queries named for the question they answer. Hands out plain values; no arithmetic on
readings."""
