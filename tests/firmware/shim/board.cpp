// A simulated board: time that only moves when the program does something, pins that parts drive, interrupts, a bus.
// What is on the pins is read from standard input, one thing a line:
//   until US | level PIN US LEVEL | code PIN US CODE | echo TRIGGER ECHO DELAY WIDTH | register ADDRESS FIRST BYTE…
//   slots PIN SIXTEENTHS | pulses PIN HUMIDITY_TENTHS AIR_TENTHS | interrupts PIN…
// On standard error it says the longest time that one turn of the loop took, and what was written to the bus.
#include "board.h"

#include <cstdio>
#include <cstdlib>
#include <iostream>
#include <map>
#include <set>
#include <sstream>
#include <string>
#include <vector>

#include "Wire.h"

namespace {

struct Pin {
  uint8_t mode = INPUT, own = LOW, outside = HIGH;
  bool driven = false;  // whether a part drives it
  std::multimap<uint64_t, uint8_t> levels;
  std::map<uint64_t, int> codes;
  void (*handler)() = nullptr;
  int edge = 0;
  bool pending = false;
};

struct Echo {
  uint8_t trigger, echo;
  uint64_t delay, width;
};

// A thermometer with time slots, as the part behaves: it looks at how long the line was held low.
struct Slots {
  int16_t sixteenths = 0;
  uint64_t fell = 0;
  int state = 0;  // 0 waits for a reset, 1 takes a command, 2 sends
  uint8_t command = 0, bits = 0;
  std::vector<uint8_t> out;
  size_t sent = 0;
};

struct Pulses {
  int humidity = 0, air = 0;
  uint64_t fell = 0;
};

uint64_t now = 1000, until = 1000000, lineFree = 0;
bool masked = false, inside = false;
std::map<uint8_t, Pin> pins;
std::vector<Echo> echoes;
std::map<uint8_t, Slots> slots;
std::map<uint8_t, Pulses> pulses;
std::set<uint8_t> able;
std::map<uint8_t, std::map<uint8_t, uint8_t>> registers;
std::vector<uint8_t> sending, received;
uint8_t addressed = 0, pointer = 0;
size_t taken = 0;
const double CHARACTER_US = 1e6 * 10 / 115200;

uint8_t levelOf(const Pin &pin) {
  if (pin.mode == OUTPUT) return pin.own;
  return pin.outside;
}

void call(Pin &pin) {
  if (masked || inside) {
    pin.pending = true;
    return;
  }
  inside = true;
  pin.handler();
  inside = false;
}

void runPending() {
  for (auto &one : pins)
    if (one.second.pending && !masked && !inside) {
      one.second.pending = false;
      call(one.second);
    }
}

void setOutside(Pin &pin, uint8_t level) {
  uint8_t before = levelOf(pin);
  pin.outside = level;
  uint8_t after = levelOf(pin);
  if (before == after || !pin.handler) return;
  if (pin.edge == CHANGE || (pin.edge == FALLING && after == LOW) || (pin.edge == RISING && after == HIGH)) call(pin);
}

// Time moves on; what happens on the pins meanwhile happens in its order.
void advance(double us) {
  static double part = 0;
  part += us;
  uint64_t whole = (uint64_t)part;
  part -= whole;
  uint64_t target = now + whole;
  while (true) {
    Pin *next = nullptr;
    uint64_t at = target + 1;
    for (auto &one : pins)
      if (!one.second.levels.empty() && one.second.levels.begin()->first < at) {
        next = &one.second;
        at = one.second.levels.begin()->first;
      }
    if (!next) break;
    if (at > now) now = at;
    uint8_t level = next->levels.begin()->second;
    next->levels.erase(next->levels.begin());
    setOutside(*next, level);
  }
  now = target;
}

void later(uint8_t pin, uint64_t us, uint8_t level) { pins[pin].levels.insert({now + us, level}); }

uint8_t crc(const std::vector<uint8_t> &bytes) {
  uint8_t value = 0;
  for (uint8_t byte : bytes)
    for (int bit = 0; bit < 8; bit++, byte >>= 1) {
      bool mix = (value ^ byte) & 1;
      value >>= 1;
      if (mix) value ^= 0x8C;
    }
  return value;
}

// The line of a thermometer was let go after having been held low.
void slotEnds(uint8_t number, Slots &part, uint64_t held) {
  if (held >= 400) {
    part.state = 1;
    part.command = part.bits = 0;
    later(number, 20, LOW);
    later(number, 140, HIGH);
  } else if (part.state == 1) {
    part.command |= (held < 15 ? 1 : 0) << part.bits;
    if (++part.bits < 8) return;
    part.bits = 0;
    if (part.command == 0xBE) {
      part.out = {(uint8_t)part.sixteenths, (uint8_t)(part.sixteenths >> 8), 0, 0, 0x7F, 0xFF, 0, 0x10};
      part.out.push_back(crc(part.out));
      part.state = 2;
      part.sent = 0;
    }
    part.command = 0;
  } else if (part.state == 2 && part.sent < 8 * part.out.size()) {
    bool one = part.out[part.sent / 8] >> (part.sent % 8) & 1;
    part.sent++;
    if (!one) {
      pins[number].outside = LOW;
      later(number, 25, HIGH);
    }
  }
}

void pulsesBegin(uint8_t number, const Pulses &part) {
  uint8_t bytes[5] = {(uint8_t)(part.humidity >> 8), (uint8_t)part.humidity,
                      (uint8_t)((std::abs(part.air) >> 8) | (part.air < 0 ? 0x80 : 0)), (uint8_t)std::abs(part.air), 0};
  bytes[4] = bytes[0] + bytes[1] + bytes[2] + bytes[3];
  uint64_t at = 30;
  later(number, at, LOW), at += 80, later(number, at, HIGH), at += 80;
  for (int bit = 0; bit < 40; bit++) {
    later(number, at, LOW), at += 50, later(number, at, HIGH);
    at += bytes[bit / 8] >> (7 - bit % 8) & 1 ? 70 : 26;
  }
  later(number, at, LOW), later(number, at + 50, HIGH);
}

void held(uint8_t number, bool low) {
  if (slots.count(number)) {
    Slots &part = slots[number];
    if (low) part.fell = now;
    else if (part.fell) slotEnds(number, part, now - part.fell), part.fell = 0;
  }
  if (pulses.count(number)) {
    Pulses &part = pulses[number];
    if (low) part.fell = now;
    else if (part.fell && now - part.fell >= 18000) pulsesBegin(number, part), part.fell = 0;
  }
}

void change(uint8_t number, uint8_t mode, uint8_t own) {
  Pin &pin = pins[number];
  bool was = pin.mode == OUTPUT && pin.own == LOW, high = pin.mode == OUTPUT && pin.own == HIGH;
  pin.mode = mode;
  pin.own = own;
  bool is = mode == OUTPUT && own == LOW;
  if (is != was) held(number, is);
  if (high && !(mode == OUTPUT && own == HIGH))
    for (const Echo &one : echoes)
      if (one.trigger == number) {
        pins[one.echo].outside = LOW;
        if (one.width) later(one.echo, one.delay, HIGH), later(one.echo, one.delay + one.width, LOW);
      }
}

}  // namespace

void pinMode(uint8_t pin, uint8_t mode) {
  advance(1);
  change(pin, mode, pins[pin].own);
}

void digitalWrite(uint8_t pin, uint8_t level) {
  advance(1);
  change(pin, pins[pin].mode, level);
}

int digitalRead(uint8_t pin) {
  if (!inside) advance(1);
  return levelOf(pins[pin]);
}

int analogRead(uint8_t pin) {
  advance(100);
  auto &codes = pins[pin].codes;
  auto after = codes.upper_bound(now);
  return after == codes.begin() ? 0 : std::prev(after)->second;
}

uint32_t micros() {
  if (!inside) advance(1);
  return (uint32_t)now;
}

uint32_t millis() {
  if (!inside) advance(1);
  return (uint32_t)(now / 1000);
}

void delay(uint32_t ms) { advance(1000.0 * ms); }
void delayMicroseconds(uint32_t us) { advance(us); }

uint32_t pulseIn(uint8_t pin, uint8_t level, uint32_t timeout) {
  uint64_t end = now + timeout;
  while (levelOf(pins[pin]) == level && now < end) advance(1);
  while (levelOf(pins[pin]) != level && now < end) advance(1);
  uint64_t begin = now;
  while (levelOf(pins[pin]) == level && now < end) advance(1);
  return now < end ? (uint32_t)(now - begin) : 0;
}

int digitalPinToInterrupt(uint8_t pin) { return able.count(pin) ? pin : -1; }

void attachInterrupt(int interrupt, void (*handler)(), int mode) {
  if (interrupt < 0) {
    std::fprintf(stderr, "no interrupt there\n");
    std::exit(3);
  }
  pins[(uint8_t)interrupt].handler = handler;
  pins[(uint8_t)interrupt].edge = mode;
}

void noInterrupts() { masked = true; }

void interrupts() {
  masked = false;
  runPending();
}

// The line takes its time: 64 characters wait for it, then the program does.
void SerialPort::begin(uint32_t) {}

void SerialPort::print(char c) {
  std::putchar(c);
  lineFree = (lineFree > now ? lineFree : now) + (uint64_t)CHARACTER_US;
  while (lineFree > now + 64 * CHARACTER_US) advance(CHARACTER_US);
}

void SerialPort::print(const char *text) {
  while (*text) print(*text++);
}

void SerialPort::print(uint32_t value) { print(std::to_string(value).c_str()); }
void SerialPort::print(int32_t value) { print(std::to_string(value).c_str()); }
void SerialPort::println() { print("\r\n"); }
SerialPort Serial;

void TwoWire::begin() {}

void TwoWire::beginTransmission(uint8_t address) {
  addressed = address;
  sending.clear();
}

void TwoWire::write(uint8_t value) { sending.push_back(value); }

uint8_t TwoWire::endTransmission(bool) {
  advance(90.0 * (sending.size() + 1));
  if (!registers.count(addressed)) return 2;
  if (!sending.empty()) pointer = sending[0];
  for (size_t i = 1; i < sending.size(); i++) {
    std::fprintf(stderr, "wrote %d %d %d\n", addressed, pointer + (int)i - 1, sending[i]);
    if (pointer == 1 && i == 1)  // a converter: which input is asked for
      registers[addressed][0] = registers[addressed][100 + 2 * ((sending[i] >> 4 & 7) - 4)],
      registers[addressed][1] = registers[addressed][101 + 2 * ((sending[i] >> 4 & 7) - 4)];
  }
  return 0;
}

uint8_t TwoWire::requestFrom(uint8_t address, uint8_t count) {
  advance(90.0 * (count + 1));
  received.clear();
  taken = 0;
  if (!registers.count(address)) return 0;
  for (uint8_t i = 0; i < count; i++) received.push_back(registers[address][(uint8_t)(pointer + i)]);
  return count;
}

int TwoWire::read() { return taken < received.size() ? received[taken++] : -1; }
TwoWire Wire;

int main() {
  for (std::string line; std::getline(std::cin, line);) {
    std::istringstream words(line);
    std::string what;
    words >> what;
    std::vector<long> n;
    for (long value; words >> value;) n.push_back(value);
    if (what == "until") until = n[0];
    if (what == "level") {
      if (!n[1]) pins[n[0]].outside = n[2];
      else pins[n[0]].levels.insert({(uint64_t)n[1], (uint8_t)n[2]});
    }
    if (what == "code") pins[n[0]].codes[n[1]] = (int)n[2];
    if (what == "echo") {
      echoes.push_back({(uint8_t)n[0], (uint8_t)n[1], (uint64_t)n[2], (uint64_t)n[3]});
      pins[n[1]].outside = LOW;
    }
    if (what == "register")
      for (size_t i = 2; i < n.size(); i++) registers[n[0]][(uint8_t)(n[1] + i - 2)] = (uint8_t)n[i];
    if (what == "slots") slots[n[0]].sixteenths = (int16_t)n[1];
    if (what == "pulses") pulses[n[0]].humidity = (int)n[1], pulses[n[0]].air = (int)n[2];
    if (what == "interrupts") able.insert(n.begin(), n.end());
  }
  setup();
  uint64_t longest = 0;
  while (now < until) {
    uint64_t begin = now;
    loop();
    advance(3);
    if (now - begin > longest) longest = now - begin;
  }
  std::fprintf(stderr, "longest %llu\n", (unsigned long long)longest);
}
