"""What a vehicle or an indicator does with its readings: one class each, a pure step function with its own
memory; no clock, no world, no board."""
