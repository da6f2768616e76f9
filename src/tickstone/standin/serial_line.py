"""What a receiver sees of a serial line that it samples at another speed than the sender's: 8 data bits, no parity."""

from __future__ import annotations

FRAME_BITS = 10  # start, eight, stop


def misread(data: bytes, written_at: int, read_at: int) -> bytes:
    """The bytes that come out where ``data`` is written at one baud and read at another.

    The line idles high, a start bit pulls it low, data bits follow with the lowest first; the receiver samples the middle
    of each of its own bits after each falling edge it waits for.
    """
    bits = [1]
    for byte in data:
        bits += [0, *((byte >> place) & 1 for place in range(8)), 1]
    length = len(bits) / written_at
    seen = bytearray()
    t = 0.0
    while True:
        at = int(t * written_at)
        while at < len(bits) and bits[at]:
            at += 1
        if at >= len(bits):
            return bytes(seen)
        start = max(t, at / written_at)
        byte = 0
        for place in range(8):
            when = start + (place + 1.5) / read_at
            byte |= (bits[int(when * written_at)] if when < length else 1) << place
        seen.append(byte)
        t = start + (FRAME_BITS - 0.5) / read_at
