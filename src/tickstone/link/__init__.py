"""One protocol for a source of lines, the line parser, the board's clock, the recorder."""
