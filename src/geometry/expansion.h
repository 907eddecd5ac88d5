#pragma once
// Floating-point expansions: sums of doubles that do not overlap, smallest first, which stand for
// their exact sum (Shewchuk 1997). Exact as long as nothing overflows or underflows; the callers
// check the exponents beforehand. Zero terms are left out, so that the small integers and short
// mantissas of real models stay cheap.

#include <cmath>

namespace aguja::detail {

struct TwoTerms {
  double high;
  double low;
};

inline TwoTerms two_sum(double a, double b) {
  const double sum = a + b;
  const double b_virtual = sum - a;
  const double a_virtual = sum - b_virtual;
  return {sum, (a - a_virtual) + (b - b_virtual)};
}

inline TwoTerms split(double a) {
  constexpr double kSplitter = 0x1p27 + 1.0;
  const double c = kSplitter * a;
  const double high = c - (c - a);
  return {high, a - high};
}

inline TwoTerms two_product(double a, double b) {
  const double product = a * b;
  const TwoTerms sa = split(a);
  const TwoTerms sb = split(b);
  const double error =
      ((sa.high * sb.high - product) + sa.high * sb.low + sa.low * sb.high) + sa.low * sb.low;
  return {product, error};
}

template <int Capacity>
struct Expansion {
  double term[Capacity];  // by rising magnitude; [0, size) are set
  int size = 0;

  void push(double t) {
    if (t != 0) term[size++] = t;
  }
  [[nodiscard]] int sign() const {
    if (size == 0) return 0;
    return term[size - 1] > 0 ? 1 : -1;
  }
};

inline Expansion<2> difference(double a, double b) {
  const TwoTerms d = two_sum(a, -b);
  Expansion<2> e;
  e.push(d.low);
  e.push(d.high);
  return e;
}

template <int A, int B>
Expansion<A + B> operator+(const Expansion<A>& a, const Expansion<B>& b) {
  Expansion<A + B> result;
  if (a.size + b.size == 0) return result;
  int i = 0;
  int j = 0;
  const auto next = [&] {
    if (j == b.size || (i < a.size && std::fabs(a.term[i]) < std::fabs(b.term[j]))) {
      return a.term[i++];
    }
    return b.term[j++];
  };
  double carry = next();
  while (i < a.size || j < b.size) {
    const TwoTerms sum = two_sum(carry, next());
    result.push(sum.low);
    carry = sum.high;
  }
  result.push(carry);
  return result;
}

template <int A>
Expansion<A> operator-(Expansion<A> a) {
  for (int i = 0; i < a.size; ++i) a.term[i] = -a.term[i];
  return a;
}

template <int A, int B>
Expansion<A + B> operator-(const Expansion<A>& a, const Expansion<B>& b) {
  return a + (-b);
}

template <int A>
Expansion<2 * A> scale(const Expansion<A>& a, double factor) {
  Expansion<2 * A> result;
  if (a.size == 0) return result;
  TwoTerms product = two_product(a.term[0], factor);
  result.push(product.low);
  double carry = product.high;
  for (int i = 1; i < a.size; ++i) {
    product = two_product(a.term[i], factor);
    const TwoTerms sum = two_sum(carry, product.low);
    result.push(sum.low);
    const TwoTerms top = two_sum(product.high, sum.high);
    result.push(top.low);
    carry = top.high;
  }
  result.push(carry);
  return result;
}

// b has at most two terms: all that orientation determinants need.
template <int A>
Expansion<4 * A> operator*(const Expansion<A>& a, const Expansion<2>& b) {
  if (b.size == 0) return {};
  Expansion<2 * A> second;
  if (b.size == 2) second = scale(a, b.term[1]);
  return scale(a, b.term[0]) + second;
}

// The general product, a term of b at a time.
template <int A, int B>
Expansion<2 * A * B> product(const Expansion<A>& a, const Expansion<B>& b) {
  if constexpr (B == 1) {
    return b.size == 0 ? Expansion<2 * A>{} : scale(a, b.term[0]);
  } else {
    constexpr int kHalf = B / 2;
    Expansion<kHalf> low;
    Expansion<B - kHalf> high;
    for (int i = 0; i < b.size; ++i) i < kHalf ? low.push(b.term[i]) : high.push(b.term[i]);
    Expansion<2 * A * B> result;
    const auto sum = product(a, low) + product(a, high);
    for (int i = 0; i < sum.size; ++i) result.push(sum.term[i]);
    return result;
  }
}

}  // namespace aguja::detail
