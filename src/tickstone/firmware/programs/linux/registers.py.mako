<%namespace name="bus" file="bus_part.py.mako"/>\
<%def name="declare(use)">\
% if use.shutdown:
${use.shutdown.name}.set(True)
time.sleep(0.005)
% endif
${bus.declare(use)}\
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
