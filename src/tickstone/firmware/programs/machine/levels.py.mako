<%def name="declare(use)">\
<%
    pins = [use.pins[pin] for _, pin in use.reading.pairs]
    bits = " | ".join(f"{pin.name}.value() << {i}" if i else f"{pin.name}.value()" for i, pin in enumerate(pins))
    labels = [use.labels[channel] for channel, _ in use.reading.pairs]
    pairs = ", ".join(f'("{label}", what >> {i} & 1)' for i, label in enumerate(labels))
%>\
${use.name}_events = Events()
${use.name}_was = bytearray([255])
${use.name}_again = Due(${AGAIN_MS})

def on_${use.name}(pin=None):
    now = ${bits}
    if now != ${use.name}_was[0]:
        ${use.name}_was[0] = now
        ${use.name}_events.put(time.ticks_us(), now)

% for pin in pins:
${pin.name}.irq(handler=on_${use.name}, trigger=machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING)
% endfor

def tell_${use.name}(at, what):
    tell(at, [${pairs}])

def watch_${use.name}():
    state = machine.disable_irq()
    on_${use.name}()
    machine.enable_irq(state)
    found = ${use.name}_events.take()
    while found:
        tell_${use.name}(since(found[0]), found[1])
        found = ${use.name}_events.take()
    if ${use.name}_again():
        tell_${use.name}(now_us(), ${use.name}_was[0])
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
