<%def name="declare(use)">\
<% pairs = ", ".join(f'("{use.labels[channel]}", {code_of(use.pins[pin])})' for channel, pin in use.reading.pairs) %>\
${use.name}_due = Due(${use.every_ms(use.reading.every_ms)})

def watch_${use.name}():
    if ${use.name}_due():
        tell(now_us(), [${pairs}])
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
