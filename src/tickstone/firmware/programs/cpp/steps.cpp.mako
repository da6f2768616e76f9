<%def name="declare(use, name, Name)">\
<% pin = use.pins[use.reading.pin] %>\
volatile int32_t ${name}Steps = 0;
uint8_t ${name}High = 0;
uint32_t ${name}At = 0;

% if use.reading.analogue:
<% low, high = use.step_codes %>\
// Counts a step when the reading has gone beyond ${high}, and another when it has come back under ${low}.
void on${Name}() {
  int32_t read = ${code_of(pin)};
  if (${name}High ? read >= ${low} : read <= ${high}) return;
  ${name}High = !${name}High;
  ${name}Steps = ${name}Steps + 1;
}
% elif pin.timed:
void on${Name}() { ${name}Steps = ${name}Steps + 1; }
% else:
void on${Name}() {
  uint8_t now = digitalRead(${pin.name}) == HIGH;
  if (now != ${name}High) ${name}Steps = ${name}Steps + 1;
  ${name}High = now;
}
% endif

void tell${Name}() {
  if (!due(${name}At, 100)) return;
  noInterrupts();
  int32_t steps = ${name}Steps;
  interrupts();
  lineAt(micros());
  pair("${use.labels[use.reading.channel]}", steps);
  lineEnd();
}
</%def>
<%def name="setup(use, name, Name)">\
<% pin = use.pins[use.reading.pin] %>\
% if not use.reading.analogue:
  pinMode(${pin.name}, INPUT);
% if pin.timed:
  attachInterrupt(digitalPinToInterrupt(${pin.name}), on${Name}, CHANGE);
% else:
  ${name}High = digitalRead(${pin.name}) == HIGH;
% endif
% endif
</%def>
<%def name="loop(use, name, Name)">\
% if use.reading.analogue or not use.pins[use.reading.pin].timed:
  on${Name}();
% endif
  tell${Name}();
</%def>
