#pragma once
/// \file
/// `Array<T>`: a `std::vector` for millions of plain values. It differs in two ways:
///  - `resize` leaves new elements of trivial types uninitialised, so memory is touched once, by
///    the thread that fills it;
///  - large blocks are aligned to, and ask the system for, huge pages: fresh pages cost more than
///    most passes over them.

#include <cstddef>
#include <memory>
#include <new>
#include <type_traits>
#include <utility>
#include <vector>

namespace aguja {
namespace detail {

/// Uninitialised memory; blocks of several megabytes are backed by huge pages where possible.
[[nodiscard]] void* allocate_block(std::size_t bytes);
void free_block(void* block, std::size_t bytes) noexcept;

template <class T>
struct ArrayAllocator {
  using value_type = T;

  ArrayAllocator() = default;
  template <class U>
  ArrayAllocator(const ArrayAllocator<U>& /*other*/) noexcept {}  // NOLINT: as allocators must

  [[nodiscard]] T* allocate(std::size_t count) {
    if (count > static_cast<std::size_t>(-1) / sizeof(T)) throw std::bad_array_new_length();
    return static_cast<T*>(allocate_block(count * sizeof(T)));
  }
  void deallocate(T* block, std::size_t count) noexcept { free_block(block, count * sizeof(T)); }

  template <class U>
  void construct(U* place) noexcept(std::is_nothrow_default_constructible_v<U>) {
    ::new (static_cast<void*>(place)) U;
  }
  template <class U, class... Args>
  void construct(U* place, Args&&... args) {
    ::new (static_cast<void*>(place)) U(std::forward<Args>(args)...);
  }

  friend bool operator==(const ArrayAllocator&, const ArrayAllocator&) { return true; }
};

}  // namespace detail

template <class T>
using Array = std::vector<T, detail::ArrayAllocator<T>>;

}  // namespace aguja
