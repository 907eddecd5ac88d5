#pragma once
/// \file
/// `SharedArray<T>`: an array of plain values whose copies share memory for as long as none of them
/// is written to. Copies that only grow go on sharing what they have in common.

#include <algorithm>
#include <atomic>
#include <initializer_list>
#include <iterator>
#include <memory>
#include <new>
#include <span>
#include <type_traits>
#include <utility>

#include "aguja/base/array.h"

namespace aguja {

/// Used like a `std::vector`; like an `Array`, `resize` leaves new elements of trivial types as they
/// are.
///
/// Promises
///  1. Who holds a copy sees what was in it when it was made, whatever others do.
///  2. `append` to a copy, as long as nobody else has appended to the same, writes nothing but what
///     is appended, if there is room.
/// Cost      Of a copy: a reference. Of the first change to what others share: a copy of all.
/// Threads   Copies may be used by several threads, one thread each. Elements of one array may be
///           written by several, after one of them has called `own`.
template <class T>
class SharedArray {
  static_assert(std::is_trivially_destructible_v<T>);

 public:
  using value_type = T;
  using size_type = std::size_t;
  using difference_type = std::ptrdiff_t;
  using reference = T&;
  using const_reference = const T&;
  using iterator = T*;
  using const_iterator = const T*;

  SharedArray() = default;
  explicit SharedArray(std::size_t count) { resize(count); }
  SharedArray(std::size_t count, const T& value) { assign(count, value); }
  SharedArray(std::initializer_list<T> values) { append(values); }
  SharedArray(std::span<const T> values) { append(values); }  // NOLINT: as they are the same
  SharedArray(const SharedArray&) = default;
  SharedArray(SharedArray&& other) noexcept
      : block_(std::move(other.block_)),
        begin_(std::exchange(other.begin_, nullptr)),
        size_(std::exchange(other.size_, 0)) {}
  SharedArray& operator=(const SharedArray&) = default;
  SharedArray& operator=(SharedArray&& other) noexcept {
    block_ = std::move(other.block_);
    begin_ = std::exchange(other.begin_, nullptr);
    size_ = std::exchange(other.size_, 0);
    return *this;
  }
  SharedArray& operator=(std::initializer_list<T> values) { return *this = SharedArray(values); }
  ~SharedArray() = default;

  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] bool empty() const { return size_ == 0; }
  [[nodiscard]] std::size_t capacity() const { return block_ ? block_->capacity : 0; }

  [[nodiscard]] const T* data() const { return begin_; }
  [[nodiscard]] const T* begin() const { return begin_; }
  [[nodiscard]] const T* end() const { return begin_ + size_; }
  [[nodiscard]] const T& operator[](std::size_t i) const { return begin_[i]; }
  [[nodiscard]] const T& front() const { return begin_[0]; }
  [[nodiscard]] const T& back() const { return begin_[size_ - 1]; }

  [[nodiscard]] T* data() { return own(), begin_; }
  [[nodiscard]] T* begin() { return own(), begin_; }
  [[nodiscard]] T* end() { return own(), begin_ + size_; }
  [[nodiscard]] T& operator[](std::size_t i) { return own(), begin_[i]; }
  [[nodiscard]] T& front() { return own(), begin_[0]; }
  [[nodiscard]] T& back() { return own(), begin_[size_ - 1]; }

  /// Shares with nobody any more.
  void own() {
    if (block_ && !block_.is_alone()) move_to(size_);
  }
  void reserve(std::size_t count) {
    if (count > capacity()) move_to(count);
  }
  void resize(std::size_t count) {
    if (count > size_) {
      T* const at = grow(count - size_);
      if constexpr (!std::is_trivially_default_constructible_v<T>) {
        std::uninitialized_default_construct_n(at, count - (at - begin_));
      }
    }
    size_ = count;
  }
  void resize(std::size_t count, const T& value) {
    const T filler = value;  // which may lie in this array
    if (count > size_) std::uninitialized_fill_n(grow(count - size_), count - size_, filler);
    size_ = count;
  }
  void assign(std::size_t count, const T& value) {
    SharedArray fresh;
    fresh.reserve(count);
    fresh.resize(count, value);
    *this = std::move(fresh);
  }
  template <std::input_iterator It>
  void assign(It first, It last) {
    SharedArray fresh;
    fresh.append(first, last);
    *this = std::move(fresh);
  }
  void assign(std::initializer_list<T> values) { *this = values; }
  void clear() { *this = SharedArray(); }

  T& emplace_back(auto&&... args) {
    T value(std::forward<decltype(args)>(args)...);
    T* const at = grow(1);
    ++size_;
    return *std::construct_at(at, value);
  }
  void push_back(const T& value) { emplace_back(value); }
  void pop_back() { --size_; }
  void append(std::span<const T> values) {
    // They may lie in this array.
    const Hold kept = block_;
    std::uninitialized_copy(values.begin(), values.end(), grow(values.size()));
    size_ += values.size();
  }
  template <std::input_iterator It>
  void append(It first, It last) {
    if constexpr (std::contiguous_iterator<It>) {
      append(std::span<const T>(first, last));
    } else {
      for (; first != last; ++first) emplace_back(*first);
    }
  }

  template <std::input_iterator It>
  void insert(const T* at, It first, It last) {
    const std::size_t before = static_cast<std::size_t>(at - begin_), old = size_;
    append(first, last);
    if (before < old) std::rotate(begin() + before, begin_ + old, begin_ + size_);
  }
  void insert(const T* at, std::initializer_list<T> values) {
    insert(at, values.begin(), values.end());
  }
  void erase(const T* first, const T* last) {
    const std::size_t from = static_cast<std::size_t>(first - begin_);
    const std::size_t to = static_cast<std::size_t>(last - begin_);
    if (from == to) return;
    own();
    std::copy(begin_ + to, begin_ + size_, begin_ + from);
    size_ -= to - from;
  }
  void erase(const T* at) { erase(at, at + 1); }

  friend bool operator==(const SharedArray& a, const SharedArray& b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end());
  }

 private:
  struct Block {
    explicit Block(std::size_t count)
        : items(static_cast<T*>(detail::allocate_block(count * sizeof(T)))), capacity(count) {}
    Block(const Block&) = delete;
    Block& operator=(const Block&) = delete;
    ~Block() { detail::free_block(items, capacity * sizeof(T)); }

    T* const items;
    const std::size_t capacity;
    std::atomic<std::size_t> used = 0;  // by the longest of those that share it
    std::atomic<std::size_t> holders = 1;
  };
  // A block for as long as somebody holds it.
  class Hold {
   public:
    Hold() = default;
    explicit Hold(std::size_t count) : block_(new Block(count)) {}
    Hold(const Hold& other) : block_(other.block_) {
      if (block_ != nullptr) block_->holders.fetch_add(1, std::memory_order_relaxed);
    }
    Hold(Hold&& other) noexcept : block_(std::exchange(other.block_, nullptr)) {}
    Hold& operator=(Hold other) noexcept {
      std::swap(block_, other.block_);
      return *this;
    }
    ~Hold() {
      if (block_ == nullptr) return;
      if (block_->holders.fetch_sub(1, std::memory_order_acq_rel) == 1) delete block_;
    }

    explicit operator bool() const { return block_ != nullptr; }
    [[nodiscard]] Block* operator->() const { return block_; }
    // What others did with it before they let go of it is over then.
    [[nodiscard]] bool is_alone() const {
      return block_->holders.load(std::memory_order_acquire) == 1;
    }

   private:
    Block* block_ = nullptr;
  };

  void move_to(std::size_t count) {
    if (count > static_cast<std::size_t>(-1) / sizeof(T)) throw std::bad_array_new_length();
    Hold fresh(std::max<std::size_t>(count, 1));
    std::uninitialized_copy(begin_, begin_ + std::min(size_, count), fresh->items);
    fresh->used = size_;
    block_ = std::move(fresh);
    begin_ = block_->items;
  }
  // Room for so many more, which nobody else sees.
  T* grow(std::size_t more) {
    const std::size_t whole = size_ + more;
    if (block_ && whole <= block_->capacity) {
      if (block_.is_alone()) {
        block_->used.store(whole, std::memory_order_relaxed);
        return begin_ + size_;
      }
      std::size_t used = size_;
      if (block_->used.compare_exchange_strong(used, whole)) return begin_ + size_;
    }
    // Who alone fills it doubles it; what others share is large mostly, and grows by little.
    constexpr std::size_t kShare = 16;
    move_to(std::max(whole, !block_ || block_.is_alone() ? 2 * size_ : whole + size_ / kShare));
    block_->used.store(whole, std::memory_order_relaxed);
    return begin_ + size_;
  }

  Hold block_;
  T* begin_ = nullptr;
  std::size_t size_ = 0;
};

template <class T, class Unwanted>
std::size_t erase_if(SharedArray<T>& array, const Unwanted& unwanted) {
  const std::size_t before = array.size();
  array.own();
  array.erase(std::remove_if(array.begin(), array.end(), unwanted), array.end());
  return before - array.size();
}

}  // namespace aguja
