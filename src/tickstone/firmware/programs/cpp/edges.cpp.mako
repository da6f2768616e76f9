<%def name="declare(use, name, Name)">\
<% pin, level = use.pins[use.reading.pin], "HIGH" if use.reading.rising else "LOW" %>\
Events ${name}Events;

% if pin.timed:
void on${Name}() { put(${name}Events, micros(), 0); }
% else:
uint8_t ${name}Was = HIGH;

// ${pin.place} has no interrupt: asked in the loop, which may miss a short pulse.
void on${Name}() {
  uint8_t now = digitalRead(${pin.name});
  if (now != ${name}Was && now == ${level}) put(${name}Events, micros(), 0);
  ${name}Was = now;
}
% endif

void tell${Name}() {
  uint32_t at;
  uint8_t what;
  while (take(${name}Events, at, what)) {
    lineAt(at);
    label("${use.labels[use.reading.channel]}");
    Serial.print(at);
    lineEnd();
  }
}
</%def>
<%def name="setup(use, name, Name)">\
<% pin, edge = use.pins[use.reading.pin], "RISING" if use.reading.rising else "FALLING" %>\
  pinMode(${pin.name}, INPUT);
% if pin.timed:
  attachInterrupt(digitalPinToInterrupt(${pin.name}), on${Name}, ${edge});
% else:
  ${name}Was = digitalRead(${pin.name});
% endif
</%def>
<%def name="loop(use, name, Name)">\
% if not use.pins[use.reading.pin].timed:
  on${Name}();
% endif
  tell${Name}();
</%def>
