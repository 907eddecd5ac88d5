#pragma once
// What the patch of a fill is called.

#include <string>

namespace aguja {

/// `number`: among all fills of the part, from 1.
[[nodiscard]] inline std::string fill_name(const std::string& fill, std::size_t number) {
  return fill + "-" + std::to_string(number);
}

}  // namespace aguja
