<%def name="declare(use)">\
def watch_${use.name}():
    for event in ${use.pins[use.reading.pin].name}.events():
        if ${"rising(event)" if use.reading.rising else "not rising(event)"}:
            tell(stamp_us(event), [("${use.labels[use.reading.channel]}", stamp_us(event))])
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
