<%namespace name="kernel" file="kernel_part.py.mako"/>\
<%def name="declare(use)">\
${kernel.declare(use, "single-wire bus", 1000, [(use.reading.channel, "/sys/bus/w1/devices/*/temperature")])}\
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
