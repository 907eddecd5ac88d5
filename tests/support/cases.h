#pragma once
// How many cases a property is tried on.

#include <cstdint>

namespace aguja::test {

/// All of them; under the sanitizers, where each takes many times as long, a quarter.
constexpr std::uint64_t cases(std::uint64_t all) {
#ifdef AGUJA_FEWER_CASES
  return (all + 3) / 4;
#else
  return all;
#endif
}

}  // namespace aguja::test
