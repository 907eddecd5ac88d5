#include "aguja/base/array.h"

#include <sys/mman.h>

#include <cstdint>

namespace aguja::detail {
namespace {

constexpr std::size_t kHugePage = std::size_t{1} << 21;
// Below a few huge pages the rounding up would waste more than the faults cost.
constexpr std::size_t kLargeBlock = 2 * kHugePage;

bool is_large(std::size_t bytes) { return bytes >= kLargeBlock; }

std::size_t round_up(std::size_t bytes, std::size_t to) { return (bytes + to - 1) / to * to; }

// Straight from the system: the allocator behind operator new may hand out memory whose pages are
// small already.
void* map_block(std::size_t bytes) {
  const std::size_t size = round_up(bytes, kHugePage);
  if (size < bytes) throw std::bad_alloc();
  void* const raw = ::mmap(nullptr, size + kHugePage, PROT_READ | PROT_WRITE,
                           MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
  if (raw == MAP_FAILED) throw std::bad_alloc();
  const auto begin = reinterpret_cast<std::uintptr_t>(raw);
  const std::size_t before = round_up(begin, kHugePage) - begin;
  char* const block = static_cast<char*>(raw) + before;
  if (before > 0) ::munmap(raw, before);
  if (before < kHugePage) ::munmap(block + size, kHugePage - before);
  ::madvise(block, size, MADV_HUGEPAGE);  // a wish: without it all is right, only slower
  return block;
}

}  // namespace

void* allocate_block(std::size_t bytes) {
  return is_large(bytes) ? map_block(bytes) : ::operator new(bytes);
}

void free_block(void* block, std::size_t bytes) noexcept {
  if (!is_large(bytes)) return ::operator delete(block);
  ::munmap(block, round_up(bytes, kHugePage));
}

}  // namespace aguja::detail
