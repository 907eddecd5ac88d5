#pragma once
/// \file
/// Text of unknown origin, made fit to be shown and to stand in a line of a file.

#include <string>
#include <string_view>

namespace aguja {

/// Is it UTF-8 without control characters and marks that turn the direction of text?
[[nodiscard]] bool is_printable(std::string_view text);

enum class Lines { none, kept };

/// With U+FFFD in the place of each byte or character that is not. Line feeds are none either,
/// unless kept.
/// Source   The Unicode Standard 15.0, table 3-7 (well-formed byte sequences); UAX 9, section 2.
[[nodiscard]] std::string printable(std::string_view text, Lines lines = Lines::none);

}  // namespace aguja
