<%def name="declare(use)">\
<%
    pins = ", ".join(use.pins[pin].name for _, pin in use.reading.pairs)
    labels = ", ".join(f'"{use.labels[channel]}"' for channel, _ in use.reading.pairs)
%>\
${use.name}_lines = [${pins}]
${use.name}_labels = [${labels}]
${use.name}_levels = [line.value() for line in ${use.name}_lines]
${use.name}_again = Due(${AGAIN_MS})

def watch_${use.name}():
    found = []
    for place, line in enumerate(${use.name}_lines):
        found += [(event.timestamp_ns, place, event) for event in line.events()]
    for _, place, event in sorted(found, key=lambda one: one[0]):
        ${use.name}_levels[place] = int(rising(event))
        tell(stamp_us(event), zip(${use.name}_labels, ${use.name}_levels))
    if ${use.name}_again():
        tell(now_us(), zip(${use.name}_labels, ${use.name}_levels))
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
