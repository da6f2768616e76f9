// The usual pin and timing calls, for running a watch program on the host against simulated pins.
#pragma once
#include <cstddef>
#include <cstdint>

const uint8_t LOW = 0, HIGH = 1;
const uint8_t INPUT = 0, OUTPUT = 1, INPUT_PULLUP = 2;
const int CHANGE = 1, FALLING = 2, RISING = 3;
const uint8_t A0 = 100, A1 = 101, A2 = 102, A3 = 103, A4 = 104, A5 = 105, A6 = 106, A7 = 107;

void pinMode(uint8_t pin, uint8_t mode);
void digitalWrite(uint8_t pin, uint8_t level);
int digitalRead(uint8_t pin);
int analogRead(uint8_t pin);
uint32_t micros();
uint32_t millis();
void delay(uint32_t ms);
void delayMicroseconds(uint32_t us);
uint32_t pulseIn(uint8_t pin, uint8_t level, uint32_t timeout);
int digitalPinToInterrupt(uint8_t pin);
void attachInterrupt(int interrupt, void (*handler)(), int mode);
void noInterrupts();
void interrupts();

struct SerialPort {
  void begin(uint32_t baud);
  void print(char c);
  void print(const char *text);
  void print(uint32_t value);
  void print(int32_t value);
  void println();
};
extern SerialPort Serial;

void setup();
void loop();
