#include "aguja/base/printable.h"

#include <cstdint>
#include <random>

#include <gtest/gtest.h>

namespace aguja {
namespace printable_test {

std::string encoded(std::uint32_t code) {
  const auto byte = [](std::uint32_t b) { return static_cast<char>(b); };
  if (code < 0x80) return {byte(code)};
  if (code < 0x800) return {byte(0xC0 | code >> 6), byte(0x80 | (code & 0x3F))};
  const char last = byte(0x80 | (code & 0x3F)), before = byte(0x80 | (code >> 6 & 0x3F));
  if (code < 0x10000) return {byte(0xE0 | code >> 12), before, last};
  return {byte(0xF0 | code >> 18), byte(0x80 | (code >> 12 & 0x3F)), before, last};
}

bool is_control_or_turns(std::uint32_t c) {
  return c < 0x20 || (c >= 0x7F && c <= 0x9F) || c == 0x61C || c == 0x200E || c == 0x200F ||
         (c >= 0x2028 && c <= 0x202E) || (c >= 0x2066 && c <= 0x2069);
}

TEST(Printable, IsEveryCharacterButControls) {
  for (std::uint32_t c = 0; c < 0x110000; ++c) {
    const bool is_surrogate = c >= 0xD800 && c < 0xE000;
    const std::string text = encoded(c);
    ASSERT_EQ(is_printable(text), !is_surrogate && !is_control_or_turns(c)) << c;
    if (is_printable(text)) {
      ASSERT_EQ(printable(text), text) << c;
    }
  }
  EXPECT_EQ(printable("a\nb", Lines::kept), "a\nb");
  EXPECT_EQ(printable("a\nb"),
            "a\xEF\xBF\xBD"
            "b");
  // Longer forms than needed, and beyond the last character.
  for (const char* text : {"\xC0\xAF", "\xE0\x80\x8A", "\xF0\x80\x80\x8A", "\xF4\x90\x80\x80"}) {
    EXPECT_FALSE(is_printable(text));
  }
}

TEST(Printable, WhateverTheBytesWhatComesOutIs) {
  std::mt19937 random(1);
  std::size_t changed = 0;
  for (int round = 0; round < 20000; ++round) {
    std::string bytes(random() % 12, ' ');
    for (char& c : bytes) c = static_cast<char>(random() % 4 == 0 ? random() % 128 : random());
    const std::string text = printable(bytes);
    ASSERT_TRUE(is_printable(text));
    ASSERT_EQ(printable(text), text);
    ASSERT_EQ(text == bytes, is_printable(bytes));
    changed += text != bytes;
  }
  EXPECT_GT(changed, 5000u);
}

}  // namespace printable_test
}  // namespace aguja
