#include "aguja/base/printable.h"

#include <cstdint>

namespace aguja {
namespace {

// The character that the text begins with; no length if it begins with none.
struct Utf8Character {
  std::uint32_t code = 0;
  std::size_t length = 0;
};

Utf8Character first_character(std::string_view text) {
  const auto byte = [&](std::size_t i) {
    return i < text.size() ? static_cast<unsigned char>(text[i]) : 0u;
  };
  const unsigned a = byte(0);
  if (a < 0x80) return {a, 1};
  const std::size_t length = a >= 0xF0 ? 4 : a >= 0xE0 ? 3 : 2;
  if (a < 0xC2 || a > 0xF4) return {};
  // The second byte is bound more closely where forms would be overlong, surrogates or too large.
  const unsigned low = a == 0xE0 ? 0xA0 : a == 0xF0 ? 0x90 : 0x80;
  const unsigned high = a == 0xED ? 0x9F : a == 0xF4 ? 0x8F : 0xBF;
  if (byte(1) < low || byte(1) > high) return {};
  std::uint32_t code = a & (0x7Fu >> length);
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte(i) & 0xC0) != 0x80) return {};
    code = code << 6 | (byte(i) & 0x3F);
  }
  return {code, length};
}

bool is_shown(std::uint32_t code) {
  const bool controls = code < 0x20 || (code >= 0x7F && code < 0xA0);
  const bool turns = code == 0x200E || code == 0x200F || code == 0x061C ||
                     (code >= 0x202A && code <= 0x202E) || (code >= 0x2066 && code <= 0x2069);
  const bool ends_line = code == 0x2028 || code == 0x2029;
  return !controls && !turns && !ends_line;
}

}  // namespace

bool is_printable(std::string_view text) {
  while (!text.empty()) {
    const Utf8Character c = first_character(text);
    if (c.length == 0 || !is_shown(c.code)) return false;
    text.remove_prefix(c.length);
  }
  return true;
}

std::string printable(std::string_view text, Lines lines) {
  std::string out;
  out.reserve(text.size());
  while (!text.empty()) {
    const Utf8Character c = first_character(text);
    const std::size_t length = c.length == 0 ? 1 : c.length;
    const bool stays =
        c.length > 0 && (is_shown(c.code) || (c.code == '\n' && lines == Lines::kept));
    stays ? out.append(text.substr(0, length)) : out.append("\xEF\xBF\xBD");
    text.remove_prefix(length);
  }
  return out;
}

}  // namespace aguja
