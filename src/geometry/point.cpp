#include "aguja/geometry/point.h"

namespace aguja {
namespace {

double round_trip(double x) { return static_cast<double>(static_cast<float>(x)); }

}  // namespace

// GCC 12 loses the rounding where it vectorises this conversion there and back. The function
// therefore stands in a file of its own, compiled without vectorisation.
Point rounded_to_float(const Point& p) {
  return {round_trip(p.x()), round_trip(p.y()), round_trip(p.z())};
}

}  // namespace aguja
