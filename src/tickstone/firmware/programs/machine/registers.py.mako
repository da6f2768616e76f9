<%namespace name="bus" file="bus_part.py.mako"/>\
<%def name="declare(use)">\
% if use.shutdown:
${use.shutdown.name}.init(machine.Pin.OUT, value=1)
time.sleep_us(5000)
% endif
${bus.declare(use)}\
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
