#include "aguja/base/array.h"

#include <gtest/gtest.h>

namespace aguja {
namespace array_test {

TEST(Array, KeepsWhatIsWrittenToSmallAndLargeBlocks) {
  for (const std::size_t size :
       {std::size_t{3}, std::size_t{1} << 20, (std::size_t{1} << 23) + 5}) {
    Array<std::uint64_t> array(size);
    for (std::size_t i = 0; i < size; ++i) array[i] = i * 7;
    array.push_back(1);
    Array<std::uint64_t> copy = array;
    ASSERT_EQ(copy.size(), size + 1);
    for (std::size_t i = 0; i < size; i += 997) ASSERT_EQ(copy[i], i * 7);
    EXPECT_EQ(copy.back(), 1u);
  }
}

TEST(Array, FillsWithAGivenValue) {
  const Array<int> array(1000, 42);
  for (const int value : array) ASSERT_EQ(value, 42);
}

TEST(Array, RefusesASizeThatOverflows) {
  detail::ArrayAllocator<double> allocator;
  EXPECT_THROW(static_cast<void>(allocator.allocate(static_cast<std::size_t>(-1) / 4)),
               std::bad_alloc);
}

}  // namespace array_test
}  // namespace aguja
