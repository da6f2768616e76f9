<%
    from tickstone.core.rigs.reading import Echo, Edges, Levels, PulseThermometer, Registers, SlotThermometer

    pairs = plan.rangers
    events = plan.of(Edges, Levels)
    uses = [(use, local.get_namespace(f"{use.kind}.cpp.mako")) for use in plan.uses if use.kind != "echo"]
%>\
% for line in opening:
// ${line}
% endfor

#include <stdint.h>
% if plan.on_bus:
#include <Wire.h>
% endif

const uint32_t BAUD = ${BAUD};
% for pin in [*plan.pins, *plan.held_off]:
const uint8_t ${pin.name} = ${pin.code};  // ${pin.place}
% endfor
% for use in plan.of(Registers):
const uint8_t ${use.name.upper()}_ADDRESS = ${hex2(use.address)};
% endfor

% if events:
const uint8_t ROOM = 24;

// What an interrupt has seen and the loop has not yet told.
struct Events {
  volatile uint32_t at[ROOM];
  volatile uint8_t what[ROOM];
  volatile uint8_t next;
  volatile uint8_t waiting;
};
% endif

uint32_t lastLine = 0;

// Begins a line; its time never runs back.
void lineAt(uint32_t at) {
  if ((int32_t)(at - lastLine) < 0) at = lastLine;
  lastLine = at;
  Serial.print("t_us:");
  Serial.print(at);
}

void label(const char *name) {
  Serial.print(' ');
  Serial.print(name);
  Serial.print(':');
}

void pair(const char *name, int32_t value) {
  label(name);
  Serial.print(value);
}

void lineEnd() { Serial.println(); }

// True once every so many ms; never waits.
bool due(uint32_t &last, uint32_t everyMs) {
  uint32_t now = millis();
  if (now - last < everyMs) return false;
  last = now;
  return true;
}

% if plan.of(PulseThermometer, SlotThermometer):
void pairTenths(const char *name, int32_t tenths) {
  label(name);
  if (tenths < 0) Serial.print('-');
  uint32_t size = tenths < 0 ? -tenths : tenths;
  Serial.print(size / 10);
  Serial.print('.');
  Serial.print(size % 10);
}
% endif

% if events:
void put(Events &events, uint32_t at, uint8_t what) {
  if (events.waiting == ROOM) return;
  events.at[events.next] = at;
  events.what[events.next] = what;
  events.next = (events.next + 1) % ROOM;
  events.waiting = events.waiting + 1;
}

bool take(Events &events, uint32_t &at, uint8_t &what) {
  noInterrupts();
  bool some = events.waiting > 0;
  if (some) {
    uint8_t oldest = (events.next + ROOM - events.waiting) % ROOM;
    at = events.at[oldest];
    what = events.what[oldest];
    events.waiting = events.waiting - 1;
  }
  interrupts();
  return some;
}
% endif

% if plan.on_bus:
bool writeRegister(uint8_t address, uint8_t at, uint8_t value) {
  Wire.beginTransmission(address);
  Wire.write(at);
  Wire.write(value);
  return Wire.endTransmission() == 0;
}

bool readRegisters(uint8_t address, uint8_t from, uint8_t *into, uint8_t count) {
  Wire.beginTransmission(address);
  Wire.write(from);
  if (Wire.endTransmission(false) != 0) return false;
  if (Wire.requestFrom(address, count) != count) return false;
  for (uint8_t i = 0; i < count; i++) into[i] = Wire.read();
  return true;
}
% endif

% if plan.converters:
// A single conversion of one input against ground, ±4.096 V, about 1.2 ms.
int16_t converterCounts(uint8_t address, uint8_t input) {
  uint16_t config = 0x83E3 | ((uint16_t)(4 + input) << 12);
  Wire.beginTransmission(address);
  Wire.write((uint8_t)1);
  Wire.write((uint8_t)(config >> 8));
  Wire.write((uint8_t)(config & 0xFF));
  if (Wire.endTransmission() != 0) return 0;
  delayMicroseconds(1400);
  uint8_t read[2] = {0, 0};
  readRegisters(address, 0, read, 2);
  int16_t counts = (int16_t)((uint16_t)read[0] << 8 | read[1]);
  return counts < 0 ? 0 : counts;
}
% endif

% if plan.of(SlotThermometer):
// A thermometer on one data wire: reset pulse, then a time slot for every bit.
void slotLow(uint8_t pin) {
  digitalWrite(pin, LOW);
  pinMode(pin, OUTPUT);
}

void slotFree(uint8_t pin) { pinMode(pin, INPUT); }

bool slotReset(uint8_t pin) {
  slotLow(pin);
  delayMicroseconds(480);
  noInterrupts();
  slotFree(pin);
  delayMicroseconds(70);
  bool there = digitalRead(pin) == LOW;
  interrupts();
  delayMicroseconds(410);
  return there;
}

void slotWrite(uint8_t pin, uint8_t value) {
  for (uint8_t bit = 0; bit < 8; bit++, value >>= 1) {
    noInterrupts();
    slotLow(pin);
    delayMicroseconds(value & 1 ? 6 : 60);
    slotFree(pin);
    interrupts();
    delayMicroseconds(value & 1 ? 64 : 10);
  }
}

uint8_t slotRead(uint8_t pin) {
  uint8_t value = 0;
  for (uint8_t bit = 0; bit < 8; bit++) {
    noInterrupts();
    slotLow(pin);
    delayMicroseconds(6);
    slotFree(pin);
    delayMicroseconds(9);
    if (digitalRead(pin) == HIGH) value |= 1 << bit;
    interrupts();
    delayMicroseconds(55);
  }
  return value;
}

uint8_t slotCheck(const uint8_t *bytes, uint8_t count) {
  uint8_t crc = 0;
  for (uint8_t i = 0; i < count; i++)
    for (uint8_t bit = 0, byte = bytes[i]; bit < 8; bit++, byte >>= 1) {
      uint8_t mix = (crc ^ byte) & 1;
      crc >>= 1;
      if (mix) crc ^= 0x8C;
    }
  return crc;
}

// Sixteenths of a degree; false when the part does not answer or its check does not hold.
bool slotTemperature(uint8_t pin, int16_t &sixteenths) {
  if (!slotReset(pin)) return false;
  slotWrite(pin, 0xCC);
  slotWrite(pin, 0xBE);
  uint8_t bytes[9];
  for (uint8_t i = 0; i < 9; i++) bytes[i] = slotRead(pin);
  if (slotCheck(bytes, 8) != bytes[8]) return false;
  sixteenths = (int16_t)((uint16_t)bytes[1] << 8 | bytes[0]);
  return true;
}

void slotBegin(uint8_t pin) {
  if (!slotReset(pin)) return;
  slotWrite(pin, 0xCC);
  slotWrite(pin, 0x44);
}
% endif

% if plan.of(PulseThermometer):
// A part that answers on one data wire with 40 pulses: a long one is a 1. The answer takes about 5 ms.
bool pulseAnswer(uint8_t pin, uint8_t *bytes) {
  for (uint8_t i = 0; i < 5; i++) bytes[i] = 0;
  pinMode(pin, INPUT);
  if (pulseIn(pin, HIGH, 1000) == 0) return false;
  for (uint8_t bit = 0; bit < 40; bit++) {
    uint32_t width = pulseIn(pin, HIGH, 1000);
    if (width == 0) return false;
    if (width > 48) bytes[bit / 8] |= 0x80 >> (bit % 8);
  }
  return (uint8_t)(bytes[0] + bytes[1] + bytes[2] + bytes[3]) == bytes[4];
}
% endif

% if pairs:
const uint32_t PING_EVERY_US = ${PING_EVERY_US};
const uint32_t ECHO_TIMEOUT_US = ${ECHO_TIMEOUT_US};
const uint8_t RANGERS = ${len(pairs)};
const uint8_t TRIGGERS[] = {${", ".join(trigger.name for trigger, _, _ in pairs)}};
const uint8_t ECHOES[] = {${", ".join(echo.name for _, echo, _ in pairs)}};
const bool TIMED[] = {${", ".join("true" if echo.timed else "false" for _, echo, _ in pairs)}};  // whether an interrupt tells the echo's edges
const char *const ECHO_LABELS[] = {${", ".join(f'"{label}"' for _, _, label in pairs)}};

volatile uint8_t ranger = 0;  // whose turn it is: several fire in turn
volatile uint8_t echoState = 0;  // 0 no ping, 1 sent, 2 echo high, 3 echo over
volatile uint32_t echoUp = 0;
volatile uint32_t echoWidth = 0;
uint32_t pingedAt = 0;

void echoEdge(uint8_t of) {
  uint32_t now = micros();
  if (of != ranger) return;
  if (digitalRead(ECHOES[of]) == HIGH) {
    if (echoState == 1) {
      echoUp = now;
      echoState = 2;
    }
  } else if (echoState == 2) {
    echoWidth = now - echoUp;
    echoState = 3;
  }
}

% for i, (_, echo, _) in enumerate(pairs):
% if echo.timed:
void onEcho${i}() { echoEdge(${i}); }

% endif
% endfor
void ping(uint8_t of) {
  pinMode(TRIGGERS[of], OUTPUT);
  digitalWrite(TRIGGERS[of], LOW);
  delayMicroseconds(2);
  digitalWrite(TRIGGERS[of], HIGH);
  delayMicroseconds(10);
  digitalWrite(TRIGGERS[of], LOW);
  if (TRIGGERS[of] == ECHOES[of]) pinMode(ECHOES[of], INPUT);
  noInterrupts();
  echoState = 1;
  interrupts();
}

void tellEcho(uint32_t width) {
  lineAt(micros());
  pair(ECHO_LABELS[ranger], width);
  lineEnd();
  noInterrupts();
  echoState = 0;
  ranger = (ranger + 1) % RANGERS;
  interrupts();
}

void watchRangers() {
  noInterrupts();
  uint8_t state = echoState;
  uint32_t width = echoWidth;
  interrupts();
  uint32_t now = micros();
  if (state == 0) {
    if (now - pingedAt < PING_EVERY_US) return;
    if (digitalRead(ECHOES[ranger]) == HIGH) return;  // never into an echo that is still high
    pingedAt = now;
    ping(ranger);
    if (!TIMED[ranger]) tellEcho(pulseIn(ECHOES[ranger], HIGH, ECHO_TIMEOUT_US));
  } else if (state == 3) {
    tellEcho(width);
  } else if (now - pingedAt > ECHO_TIMEOUT_US) {
    tellEcho(0);
  }
}
% endif

% for use, part in uses:
${part.declare(use, camel(use.name), pascal(use.name))}

% endfor
void setup() {
% for pin in plan.held_off:
  digitalWrite(${pin.name}, LOW);
  pinMode(${pin.name}, OUTPUT);
% endfor
  Serial.begin(BAUD);
% if plan.on_bus:
  Wire.begin();
% endif
% for use in plan.of(Registers):
% if use.shutdown:
  digitalWrite(${use.shutdown.name}, LOW);
  pinMode(${use.shutdown.name}, OUTPUT);  // held in shutdown
% endif
% endfor
% for i, (trigger, echo, _) in enumerate(pairs):
% if trigger is not echo:
  pinMode(${echo.name}, INPUT);
% endif
% if echo.timed:
  attachInterrupt(digitalPinToInterrupt(${echo.name}), onEcho${i}, CHANGE);
% endif
% endfor
% for use, part in uses:
${part.setup(use, camel(use.name), pascal(use.name))}\
% endfor
}

void loop() {
% if pairs:
  watchRangers();
% endif
% for use, part in uses:
${part.loop(use, camel(use.name), pascal(use.name))}\
% endfor
}
