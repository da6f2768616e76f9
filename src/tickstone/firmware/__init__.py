"""What goes into the robot: constants in the languages that firmware is written in."""
