<%def name="declare(use)">\
<% pin, reading = use.pins[use.reading.pin], use.reading %>\
${use.name}_due = Due(2000)
${use.name}_asked = [None]

def watch_${use.name}():
    """Asks by 20 ms of low, which the loop goes on through, every two seconds."""
    if ${use.name}_asked[0] is None:
        if ${use.name}_due():
            ${pin.name}.init(machine.Pin.OUT, value=0)
            ${use.name}_asked[0] = time.ticks_ms()
        return
    if time.ticks_diff(time.ticks_ms(), ${use.name}_asked[0]) < 20:
        return
    ${use.name}_asked[0] = None
    read = pulse_answer(${pin.name})
    if read:
        air = ((read[2] & 0x7F) << 8 | read[3]) / 10
        air = -air if read[2] & 0x80 else air
        tell(now_us(), [("${use.labels[reading.air]}", air), ("${use.labels[reading.humidity]}", (read[0] << 8 | read[1]) / 10)])
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
