#include "aguja/base/array.h"

#include <sys/mman.h>

namespace aguja::detail {
namespace {

constexpr std::size_t kHugePage = std::size_t{1} << 21;
// Below a few huge pages the rounding up would waste more than the faults cost.
constexpr std::size_t kLargeBlock = 4 * kHugePage;

bool is_large(std::size_t bytes) { return bytes >= kLargeBlock; }

}  // namespace

void* allocate_block(std::size_t bytes) {
  if (!is_large(bytes)) return ::operator new(bytes);
  void* const block = ::operator new(bytes, std::align_val_t{kHugePage});
  ::madvise(block, bytes, MADV_HUGEPAGE);  // a wish: without it all is right, only slower
  return block;
}

void free_block(void* block, std::size_t bytes) noexcept {
  if (!is_large(bytes)) return ::operator delete(block);
  ::operator delete(block, std::align_val_t{kHugePage});
}

}  // namespace aguja::detail
