"""What is wrong with readings: faults of sensors, wires and lines, found in what they say."""
