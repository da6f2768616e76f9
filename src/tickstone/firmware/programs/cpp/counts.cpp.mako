<%def name="declare(use, name, Name)">\
uint32_t ${name}At = 0;

void watch${Name}() {
  if (!due(${name}At, ${use.every_ms(use.reading.every_ms)})) return;
  int32_t read;
  lineAt(micros());
% for channel, pin_name in use.reading.pairs:
<% pin = use.pins[pin_name] %>\
% if pin.slow and pin.address is None:
  ${code_of(pin)};  // the first after a change of input still holds some of the last one
% endif
  read = ${code_of(pin)};
  pair("${use.labels[channel]}", read);
% endfor
  lineEnd();
}
</%def>
<%def name="setup(use, name, Name)">\
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
