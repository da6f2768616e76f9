// The usual calls of the I2C bus.
#pragma once
#include <cstdint>

struct TwoWire {
  void begin();
  void beginTransmission(uint8_t address);
  void write(uint8_t value);
  uint8_t endTransmission(bool stop = true);
  uint8_t requestFrom(uint8_t address, uint8_t count);
  int read();
};
extern TwoWire Wire;
