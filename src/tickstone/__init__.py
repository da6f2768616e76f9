"""Tick Stone: from raw sensor readings to the constants a robot can trust."""
