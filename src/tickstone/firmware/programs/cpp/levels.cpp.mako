<%def name="declare(use, name, Name)">\
<%
    pins = [use.pins[pin] for _, pin in use.reading.pairs]
    bits = " | ".join(f"(digitalRead({pin.name}) == HIGH ? {1 << i} : 0)" for i, pin in enumerate(pins))
%>\
Events ${name}Events;
volatile uint8_t ${name}Was = 0xFF;
uint32_t ${name}Told = 0;

void on${Name}() {
  uint8_t now = ${bits};
  if (now == ${name}Was) return;
  ${name}Was = now;
  put(${name}Events, micros(), now);
}

void tell${Name}(uint32_t at, uint8_t what) {
  lineAt(at);
% for i, (channel, _) in enumerate(use.reading.pairs):
  pair("${use.labels[channel]}", (what >> ${i}) & 1);
% endfor
  lineEnd();
}

void watch${Name}() {
  uint32_t at;
  uint8_t what;
  noInterrupts();
  on${Name}();
  interrupts();
  while (take(${name}Events, at, what)) {
    tell${Name}(at, what);
    ${name}Told = millis();
  }
  if (due(${name}Told, ${AGAIN_MS})) {
    noInterrupts();
    what = ${name}Was;
    interrupts();
    tell${Name}(micros(), what);
  }
}
</%def>
<%def name="setup(use, name, Name)">\
% for _, pin_name in use.reading.pairs:
<% pin = use.pins[pin_name] %>\
  pinMode(${pin.name}, INPUT);
% if pin.timed:
  attachInterrupt(digitalPinToInterrupt(${pin.name}), on${Name}, CHANGE);
% endif
% endfor
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
