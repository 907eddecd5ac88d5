#pragma once
// What general-purpose parts need for comparable work: the floors that our times are held against.

#include <cstdint>
#include <string_view>
#include <vector>

#include "aguja/base/array.h"

namespace aguja::bench {

/// Copies all bytes to memory that was touched before. Parallel.
void copy_floor(std::string_view bytes, Array<char>& to);
/// Random edge keys: 3 per triangle, as a mesh of this size has them.
[[nodiscard]] std::vector<std::uint64_t> edge_keys(std::size_t triangles);
/// Least significant digit radix sort, 11 bits at a time, one thread; keys of up to 44 bits.
void radix_sort_floor(std::vector<std::uint64_t>& keys, std::vector<std::uint64_t>& scratch);
/// `tbb::parallel_sort`.
void parallel_sort_floor(std::vector<std::uint64_t>& keys);
/// Sum of all numbers in a text of numbers and words, by `std::from_chars`; parallel in pieces cut
/// at line ends, as our readers are.
[[nodiscard]] double from_chars_floor(std::string_view text);

}  // namespace aguja::bench
