#include "bench/floors.h"

#include <charconv>
#include <cstring>
#include <numeric>
#include <random>

#include <oneapi/tbb/parallel_sort.h>

#include "aguja/base/parallel.h"

namespace aguja::bench {

void copy_floor(std::string_view bytes, Array<char>& to) {
  parallel_ranges(bytes.size(), std::size_t{1} << 20, [&](Range r) {
    std::memcpy(to.data() + r.begin, bytes.data() + r.begin, r.size());
  });
}

std::vector<std::uint64_t> edge_keys(std::size_t triangles) {
  std::mt19937_64 random(3);
  std::vector<std::uint64_t> keys(3 * triangles);
  const std::uint64_t vertices = triangles / 2;
  for (std::uint64_t& key : keys) key = (random() % vertices) << 22 | (random() % vertices) >> 2;
  return keys;
}

void radix_sort_floor(std::vector<std::uint64_t>& keys, std::vector<std::uint64_t>& scratch) {
  constexpr int kBits = 11;
  constexpr std::size_t kBuckets = std::size_t{1} << kBits;
  scratch.resize(keys.size());
  for (int shift = 0; shift < 44; shift += kBits) {
    std::vector<std::size_t> begin(kBuckets + 1, 0);
    for (const std::uint64_t key : keys) ++begin[((key >> shift) & (kBuckets - 1)) + 1];
    std::partial_sum(begin.begin(), begin.end(), begin.begin());
    for (const std::uint64_t key : keys) scratch[begin[(key >> shift) & (kBuckets - 1)]++] = key;
    keys.swap(scratch);
  }
}

void parallel_sort_floor(std::vector<std::uint64_t>& keys) {
  oneapi::tbb::parallel_sort(keys.begin(), keys.end());
}

double from_chars_floor(std::string_view text) {
  const std::size_t pieces = std::max<std::size_t>(1, text.size() >> 18);
  double sum = 0;
  for (const double some : parallel_map(pieces, 1, [&](Range r) {
         const char* at = text.data() + text.size() * r.begin / pieces;
         const char* const end = text.data() + text.size() * (r.begin + 1) / pieces;
         double own = 0;
         while (at != end) {
           // Numbers begin with a digit or a sign that follows a blank; words are passed over.
           if ((*at >= '0' && *at <= '9') || *at == '-') {
             double value = 0;
             const auto result = std::from_chars(at, end, value);
             own += value;
             at = result.ptr == at ? at + 1 : result.ptr;
           } else {
             ++at;
           }
         }
         return own;
       })) {
    sum += some;
  }
  return sum;
}

}  // namespace aguja::bench
