#include "aguja/geometry/point.h"

namespace aguja {
namespace {

// The detour over memory is deliberate: from the plain conversion there and back GCC 12 drops the
// rounding of two coordinates that lie side by side, even where it is told not to vectorise.
double round_trip(double x) {
  const volatile float rounded = static_cast<float>(x);
  return static_cast<double>(rounded);
}

}  // namespace

Point rounded_to_float(const Point& p) {
  return {round_trip(p.x()), round_trip(p.y()), round_trip(p.z())};
}

}  // namespace aguja
