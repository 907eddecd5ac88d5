#include "aguja/base/array.h"

#include <sys/mman.h>

#include <algorithm>
#include <array>
#include <cstdint>
#include <mutex>

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

// Blocks that were freed, for those of the same size that come next: their pages are there already,
// and clearing fresh ones costs more than what is done with them. Where none fits, as much is given
// back as is asked for: no more is held than was in use at one time.
class FreedBlocks {
 public:
  static constexpr std::size_t kMost = 16, kMostBytes = std::size_t{64} << 20;

  void* take(std::size_t size) {
    const std::lock_guard lock(mutex_);
    for (std::size_t i = count_; i-- > 0;) {
      if (blocks_[i].size != size) continue;
      void* const found = blocks_[i].begin;
      bytes_ -= size;
      std::copy(blocks_.begin() + i + 1, blocks_.begin() + count_, blocks_.begin() + i);
      --count_;
      return found;
    }
    for (const std::size_t left = bytes_ - std::min(bytes_, size); bytes_ > left;) {
      give_back_oldest();
    }
    return nullptr;
  }
  void keep(void* block, std::size_t size) {
    if (size > kMostBytes) {
      ::munmap(block, size);
      return;
    }
    const std::lock_guard lock(mutex_);
    while (count_ == kMost || bytes_ + size > kMostBytes) give_back_oldest();
    blocks_[count_++] = {block, size};
    bytes_ += size;
  }

 private:
  struct Block {
    void* begin;
    std::size_t size;
  };
  void give_back_oldest() {
    ::munmap(blocks_[0].begin, blocks_[0].size);
    bytes_ -= blocks_[0].size;
    std::copy(blocks_.begin() + 1, blocks_.begin() + count_, blocks_.begin());
    --count_;
  }

  std::mutex mutex_;
  std::array<Block, kMost> blocks_{};  // oldest first
  std::size_t count_ = 0, bytes_ = 0;
};

// Never destroyed: arrays may be freed after all else.
FreedBlocks& freed_blocks() {
  static FreedBlocks& blocks = *new FreedBlocks;
  return blocks;
}

}  // namespace

void* allocate_block(std::size_t bytes) {
  if (!is_large(bytes)) return ::operator new(bytes);
  void* const freed = freed_blocks().take(round_up(bytes, kHugePage));
  return freed != nullptr ? freed : map_block(bytes);
}

void free_block(void* block, std::size_t bytes) noexcept {
  if (!is_large(bytes)) return ::operator delete(block);
  freed_blocks().keep(block, round_up(bytes, kHugePage));
}

}  // namespace aguja::detail
