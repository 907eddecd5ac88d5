#pragma once
// Integrals that have no closed form, for tests.

#include <functional>

namespace aguja::test {

/// Simpson's rule; an even number of pieces.
inline double simpson(const std::function<double(double)>& f, double low, double high,
                      int pieces = 20000) {
  double sum = f(low) + f(high);
  for (int i = 1; i < pieces; ++i) sum += (i % 2 == 0 ? 2 : 4) * f(low + (high - low) * i / pieces);
  return sum * (high - low) / pieces / 3;
}

}  // namespace aguja::test
