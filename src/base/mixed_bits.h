#pragma once
// Numbers whose bits all depend on all bits of what they are made of.

#include <bit>
#include <cstdint>

namespace aguja {

// The finaliser of SplitMix64: every bit of the argument reaches every bit of the result.
// Source: Steele, Lea, Flood: Fast Splittable Pseudorandom Number Generators, OOPSLA 2014.
inline std::uint64_t mixed(std::uint64_t x) {
  x = (x ^ (x >> 30)) * 0xBF58476D1CE4E5B9u;
  x = (x ^ (x >> 27)) * 0x94D049BB133111EBu;
  return x ^ (x >> 31);
}

// -0.0 is 0.0.
inline std::uint64_t bits_of(double x) { return std::bit_cast<std::uint64_t>(x + 0.0); }

}  // namespace aguja
