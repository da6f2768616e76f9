<%def name="declare(use, name, Name)">\
int32_t ${name}Low = 0x7FFFFFFF;
int32_t ${name}High = 0;
uint32_t ${name}At = 0;

void watch${Name}() {
  int32_t read = ${code_of(use.pins[use.reading.pin])};
  if (read < ${name}Low) ${name}Low = read;
  if (read > ${name}High) ${name}High = read;
  if (!due(${name}At, ${use.reading.window_ms})) return;
  lineAt(micros());
  pair("${use.labels[use.reading.channel]}", ${name}High - ${name}Low);
  lineEnd();
  ${name}Low = 0x7FFFFFFF;
  ${name}High = 0;
}
</%def>
<%def name="setup(use, name, Name)">\
</%def>
<%def name="loop(use, name, Name)">\
  watch${Name}();
</%def>
