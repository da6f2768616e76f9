<%def name="declare(use, name, Name)">\
<% pin, label = use.pins[use.reading.pin], use.labels[use.reading.channel] %>\
uint32_t ${name}At = 0;

// Reads what was begun a second ago, and begins the next: nothing waits for it.
void watch${Name}() {
  if (!due(${name}At, 1000)) return;
  int16_t sixteenths;
  if (slotTemperature(${pin.name}, sixteenths)) {
    lineAt(micros());
    pairTenths("${label}", ((int32_t)sixteenths * 10 + (sixteenths < 0 ? -8 : 8)) / 16);
    lineEnd();
  }
  slotBegin(${pin.name});
}
</%def>
<%def name="setup(use, name, Name)">\
  slotBegin(${use.pins[use.reading.pin].name});
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
