<%def name="declare(use)">\
<% pin = use.pins[use.reading.pin] %>\
${use.name}_steps = array.array("l", [0, 0])  # steps, high
${use.name}_due = Due(100)

% if use.reading.analogue:
<% low, high = use.step_codes %>\
def on_${use.name}():
    read = ${code_of(pin)}
    steps = ${use.name}_steps
    if read < ${low} if steps[1] else read > ${high}:
        steps[1] = 1 - steps[1]
        steps[0] += 1
% else:
def on_${use.name}(pin):
    ${use.name}_steps[0] += 1


${pin.name}.irq(handler=on_${use.name}, trigger=machine.Pin.IRQ_RISING | machine.Pin.IRQ_FALLING)
% endif

def tell_${use.name}():
    if ${use.name}_due():
        state = machine.disable_irq()
        steps = ${use.name}_steps[0]
        machine.enable_irq(state)
        tell(now_us(), [("${use.labels[use.reading.channel]}", steps)])
</%def>
<%def name="loop(use)">\
% if use.reading.analogue:
    on_${use.name}()
% endif
    tell_${use.name}()
</%def>
