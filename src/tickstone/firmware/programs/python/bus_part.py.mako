<%def name="declare(use)">\
<% reading, address = use.reading, hex2(use.address) %>\
% if use.shutdown and reading.readdress and use.address != reading.readdress[1]:
<% register, wakes_at = reading.readdress %>\
write_register(${hex2(wakes_at)}, ${hex2(register)}, ${address})
% endif
% for at, value in use.writes:
write_register(${address}, ${hex2(at)}, ${hex2(value)})
% endfor
${use.name}_due = Due(${use.every_ms(reading.every_ms)})

def watch_${use.name}():
    if not ${use.name}_due():
        return
    read = read_registers(${address}, ${hex2(reading.read_from)}, ${reading.length})
    if read:
% if len(reading.fields) == 1:
<% field = reading.fields[0] %>\
        tell(now_us(), [("${use.labels[field.channel]}", number(read, ${field.offset}, ${field.signed}))])
% else:
        pairs = [
% for field in reading.fields:
            ("${use.labels[field.channel]}", number(read, ${field.offset}, ${field.signed})),
% endfor
        ]
        tell(now_us(), pairs)
% endif
% if reading.start:
    write_register(${address}, ${hex2(reading.start[0])}, ${hex2(reading.start[1])})
% endif
</%def>
