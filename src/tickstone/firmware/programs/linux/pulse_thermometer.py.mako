<%namespace name="kernel" file="kernel_part.py.mako"/>\
<%def name="declare(use)">\
<%
    folder = "/sys/bus/iio/devices/iio:device*"
    files = [
        (use.reading.air, f"{folder}/in_temp_input"),
        (use.reading.humidity, f"{folder}/in_humidityrelative_input"),
    ]
%>\
${kernel.declare(use, "humidity driver", 2000, files)}\
</%def>
<%def name="loop(use)">\
    watch_${use.name}()
</%def>
