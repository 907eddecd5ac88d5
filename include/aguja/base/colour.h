#pragma once
/// \file
/// Colours as files state them.

#include <array>

namespace aguja {

using Rgb = std::array<float, 3>;  ///< red, green, blue, 0 to 1

}  // namespace aguja
