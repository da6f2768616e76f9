<%def name="declare(use)">\
${use.name}_span = [65535, 0]
${use.name}_due = Due(${use.reading.window_ms})

def watch_${use.name}():
    read = ${code_of(use.pins[use.reading.pin])}
    span = ${use.name}_span
    span[0], span[1] = min(span[0], read), max(span[1], read)
    if ${use.name}_due():
        tell(now_us(), [("${use.labels[use.reading.channel]}", span[1] - span[0])])
        span[0], span[1] = 65535, 0
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
