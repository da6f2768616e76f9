<%def name="declare(use)">\
<% pin = use.pins[use.reading.pin] %>\
${use.name}_steps = [0, 0]  # steps, high
${use.name}_due = Due(100)

def watch_${use.name}():
    steps = ${use.name}_steps
% if use.reading.analogue:
<% low, high = use.step_codes %>\
    read = ${code_of(pin)}
    if read < ${low} if steps[1] else read > ${high}:
        steps[1] = 1 - steps[1]
        steps[0] += 1
% else:
    steps[0] += len(${pin.name}.events())
% endif
    if ${use.name}_due():
        tell(now_us(), [("${use.labels[use.reading.channel]}", steps[0])])
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
