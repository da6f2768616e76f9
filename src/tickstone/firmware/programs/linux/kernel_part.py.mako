<%def name="declare(use, driver, every_ms, files)">\
<% pairs = ", ".join(f'("{use.labels[channel]}", kernel_number("{file}"))' for channel, file in files) %>\
# The kernel reads it, by its ${driver} on pin ${use.pins[use.reading.pin].code}: switch that on first.
${use.name}_due = Due(${every_ms})

def watch_${use.name}():
    if ${use.name}_due():
        found = [${pairs}]
        found = [(label, value / 1000) for label, value in found if value is not None]
        if found:
            tell(now_us(), found)
</%def>
