<%def name="declare(use)">\
${use.name}_line = onewire.OneWire(${use.pins[use.reading.pin].name})
${use.name}_due = Due(1000)
${use.name}_begun = [False]

def watch_${use.name}():
    """Reads what was begun a second ago, and begins the next: nothing waits for it."""
    if not ${use.name}_due():
        return
    line = ${use.name}_line
    if ${use.name}_begun[0] and line.reset():
        line.writebyte(0xCC)
        line.writebyte(0xBE)
        read = bytearray(9)
        line.readinto(read)
        if line.crc8(read) == 0:
            value = read[1] << 8 | read[0]
            value = value - 65536 if value > 32767 else value
            tell(now_us(), [("${use.labels[use.reading.channel]}", round(value / 16, 2))])
    ${use.name}_begun[0] = line.reset()
    if ${use.name}_begun[0]:
        line.writebyte(0xCC)
        line.writebyte(0x44)
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
