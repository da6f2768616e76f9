<%def name="declare(use)">\
<% pin, edge = use.pins[use.reading.pin], "IRQ_RISING" if use.reading.rising else "IRQ_FALLING" %>\
${use.name}_events = Events()
${pin.name}.irq(handler=lambda pin: ${use.name}_events.put(time.ticks_us(), 0), trigger=machine.Pin.${edge})

def tell_${use.name}():
    found = ${use.name}_events.take()
    while found:
        at = since(found[0])
        tell(at, [("${use.labels[use.reading.channel]}", at)])
        found = ${use.name}_events.take()
</%def>
<%def name="loop(use)">\
    tell_${use.name}()
</%def>
