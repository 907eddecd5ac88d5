#pragma once
// B-spline basis functions and their first two derivatives.

#include "aguja/surface/curve.h"

namespace aguja {

/// No file that is meant well has more.
inline constexpr int kMostDegree = 25;

/// The degree + 1 functions that are not zero in a span, at t.
/// Source: Piegl, Tiller: The NURBS Book, 1997, algorithm A2.3, for derivatives up to the second.
class BasisValues {
 public:
  BasisValues(const KnotVector& knots, std::size_t span, double t) {
    const int p = knots.degree;
    const double* u = knots.knots.data();
    double ndu[kMostDegree + 1][kMostDegree + 1];
    double left[kMostDegree + 1], right[kMostDegree + 1];
    ndu[0][0] = 1;
    for (int j = 1; j <= p; ++j) {
      left[j] = t - u[span + 1 - static_cast<std::size_t>(j)];
      right[j] = u[span + static_cast<std::size_t>(j)] - t;
      double saved = 0;
      for (int r = 0; r < j; ++r) {
        ndu[j][r] = right[r + 1] + left[j - r];
        const double temp = ndu[r][j - 1] / ndu[j][r];
        ndu[r][j] = saved + right[r + 1] * temp;
        saved = left[j - r] * temp;
      }
      ndu[j][j] = saved;
    }
    for (int j = 0; j <= p; ++j) value_[0][j] = ndu[j][p];
    double a[2][kMostDegree + 1];
    for (int r = 0; r <= p; ++r) {
      int s1 = 0, s2 = 1;
      a[0][0] = 1;
      for (int k = 1; k <= 2; ++k) {
        if (k > p) {
          value_[k][r] = 0;
          continue;
        }
        double d = 0;
        const int rk = r - k, pk = p - k;
        if (r >= k) {
          a[s2][0] = a[s1][0] / ndu[pk + 1][rk];
          d = a[s2][0] * ndu[rk][pk];
        }
        const int j1 = rk >= -1 ? 1 : -rk;
        const int j2 = r - 1 <= pk ? k - 1 : p - r;
        for (int j = j1; j <= j2; ++j) {
          a[s2][j] = (a[s1][j] - a[s1][j - 1]) / ndu[pk + 1][rk + j];
          d += a[s2][j] * ndu[rk + j][pk];
        }
        if (r <= pk) {
          a[s2][k] = -a[s1][k - 1] / ndu[pk + 1][r];
          d += a[s2][k] * ndu[r][pk];
        }
        value_[k][r] = d;
        std::swap(s1, s2);
      }
    }
    double factor = p;
    for (int k = 1; k <= 2; ++k) {
      for (int j = 0; j <= p; ++j) value_[k][j] *= factor;
      factor *= p - k;
    }
  }
  /// The d-th derivative of the i-th of them.
  [[nodiscard]] double at(int d, int i) const { return value_[d][i]; }

 private:
  double value_[3][kMostDegree + 1];
};

}  // namespace aguja
