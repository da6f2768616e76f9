"""What a receiver sees of a serial line that it samples at another speed than the sender's: 8 data bits, no
parity."""

from __future__ import annotations

FRAME_BITS = 10  # start, eight, stop


def misread(data: bytes, written_at: int, read_at: int) -> bytes:
    """The bytes that come out where ``data`` is written at one baud and read at another.

    The line idles high, a start bit pulls it low, data bits follow with the lowest first; the receiver
    samples the middle of each of its own bits after each falling edge it waits for.
    """
    bits = [1]
    for byte in data:
        bits += [0, *((byte >> place) & 1 for place in range(8)), 1]
    seen = bytearray()
    t = 0.0
    while True:
        index = int(t * written_at)
        while index < len(bits) and bits[index]:
            index += 1
        if index >= len(bits):
            return bytes(seen)
        start = max(t, index / written_at)
        byte = 0
        for place in range(8):
            sampled = int((start + (place + 1.5) / read_at) * written_at)
            byte |= (bits[sampled] if sampled < len(bits) else 1) << place
        seen.append(byte)
        t = start + (FRAME_BITS - 0.5) / read_at
