<%def name="declare(use, name, Name)">\
<% pin = use.pins[use.reading.pin] %>\
uint32_t ${name}At = 0;
uint32_t ${name}Asked = 0;
bool ${name}Low = false;

// Asks by 20 ms of low, which the loop goes on through, every two seconds.
void watch${Name}() {
  if (!${name}Low) {
    if (!due(${name}At, 2000)) return;
    digitalWrite(${pin.name}, LOW);
    pinMode(${pin.name}, OUTPUT);
    ${name}Asked = millis();
    ${name}Low = true;
    return;
  }
  if (millis() - ${name}Asked < 20) return;
  ${name}Low = false;
  uint8_t bytes[5];
  if (!pulseAnswer(${pin.name}, bytes)) return;
  int32_t air = (int32_t)(bytes[2] & 0x7F) << 8 | bytes[3];
  lineAt(micros());
  pairTenths("${use.labels[use.reading.air]}", bytes[2] & 0x80 ? -air : air);
  pairTenths("${use.labels[use.reading.humidity]}", (int32_t)bytes[0] << 8 | bytes[1]);
  lineEnd();
}
</%def>
<%def name="setup(use, name, Name)">\
  pinMode(${use.pins[use.reading.pin].name}, INPUT);
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
