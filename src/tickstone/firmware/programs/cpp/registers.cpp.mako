<%def name="declare(use, name, Name)">\
<% reading, address = use.reading, f"{use.name.upper()}_ADDRESS" %>\
uint32_t ${name}At = 0;

void watch${Name}() {
  if (!due(${name}At, ${use.every_ms(reading.every_ms)})) return;
  uint8_t read[${reading.length}];
  if (!readRegisters(${address}, ${hex2(reading.read_from)}, read, ${reading.length})) return;
  lineAt(micros());
% for field in reading.fields:
<% cast, at = "(int16_t)" if field.signed else "", field.offset %>\
  pair("${use.labels[field.channel]}", ${cast}((uint16_t)read[${at}] << 8 | read[${at + 1}]));
% endfor
  lineEnd();
% if reading.start:
  writeRegister(${address}, ${hex2(reading.start[0])}, ${hex2(reading.start[1])});
% endif
}
</%def>
<%def name="setup(use, name, Name)">\
<% reading, address = use.reading, f"{use.name.upper()}_ADDRESS" %>\
% if use.shutdown and reading.readdress:
<% register, wakes_at = reading.readdress %>\
  digitalWrite(${use.shutdown.name}, HIGH);
  delay(5);
% if use.address != wakes_at:
  writeRegister(${hex2(wakes_at)}, ${hex2(register)}, ${address});
% endif
% endif
% for at, value in use.writes:
  writeRegister(${address}, ${hex2(at)}, ${hex2(value)});
% endfor
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
