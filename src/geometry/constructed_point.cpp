#include "aguja/geometry/constructed_point.h"

#include <algorithm>

#include <gmpxx.h>

#include "geometry/interval.h"

namespace aguja {
namespace {

using detail::Enclosure;
using detail::Homogeneous;
using Rational = mpq_class;

template <class N>
struct Numbers3 {
  N x, y, z;
};

template <class N>
N number(double x);
template <>
Enclosure number<Enclosure>(double x) {
  return detail::exactly(x);
}
template <>
Rational number<Rational>(double x) {
  return Rational(x);
}

template <class N>
Numbers3<N> numbers(const Point& p) {
  return {number<N>(p.x()), number<N>(p.y()), number<N>(p.z())};
}
template <class N>
Numbers3<N> minus(const Numbers3<N>& a, const Numbers3<N>& b) {
  return {N(a.x - b.x), N(a.y - b.y), N(a.z - b.z)};
}
template <class N>
N dot(const Numbers3<N>& a, const Numbers3<N>& b) {
  return N(a.x * b.x) + N(N(a.y * b.y) + N(a.z * b.z));
}
template <class N>
Numbers3<N> cross(const Numbers3<N>& a, const Numbers3<N>& b) {
  return {N(N(a.y * b.z) - N(a.z * b.y)), N(N(a.z * b.x) - N(a.x * b.z)),
          N(N(a.x * b.y) - N(a.y * b.x))};
}
template <class N>
Numbers3<N> normal(const Point& a, const Point& b, const Point& c) {
  const Numbers3<N> origin = numbers<N>(a);
  return cross(minus(numbers<N>(b), origin), minus(numbers<N>(c), origin));
}

// p + (q - p) (n . (r - p)) / (n . (q - p))
template <class N>
Homogeneous<N> line_and_plane(std::span<const Point> d) {
  const Numbers3<N> p = numbers<N>(d[0]);
  const Numbers3<N> along = minus(numbers<N>(d[1]), p);
  const Numbers3<N> n = normal<N>(d[2], d[3], d[4]);
  const N w = dot(n, along);
  const N t = dot(n, minus(numbers<N>(d[2]), p));
  return {N(N(p.x * w) + N(along.x * t)), N(N(p.y * w) + N(along.y * t)),
          N(N(p.z * w) + N(along.z * t)), w};
}

// Cramer's rule on n_i . x = n_i . r_i
template <class N>
Homogeneous<N> three_planes(std::span<const Point> d) {
  const Numbers3<N> a = normal<N>(d[0], d[1], d[2]);
  const Numbers3<N> b = normal<N>(d[3], d[4], d[5]);
  const Numbers3<N> c = normal<N>(d[6], d[7], d[8]);
  const N da = dot(a, numbers<N>(d[0]));
  const N db = dot(b, numbers<N>(d[3]));
  const N dc = dot(c, numbers<N>(d[6]));
  const Numbers3<N> bc = cross(b, c);
  const Numbers3<N> ca = cross(c, a);
  const Numbers3<N> ab = cross(a, b);
  const auto sum = [&](const N& x, const N& y, const N& z) {
    return N(N(da * x) + N(N(db * y) + N(dc * z)));
  };
  return {sum(bc.x, ca.x, ab.x), sum(bc.y, ca.y, ab.y), sum(bc.z, ca.z, ab.z), dot(a, bc)};
}

template <class N>
Homogeneous<N> coordinates(std::span<const Point> definition) {
  if (definition.size() == 5) return line_and_plane<N>(definition);
  if (definition.size() == 9) return three_planes<N>(definition);
  const Point& p = definition[0];
  return {number<N>(p.x()), number<N>(p.y()), number<N>(p.z()), number<N>(1)};
}

Homogeneous<Rational> exact(const ConstructedPoint& p) {
  return coordinates<Rational>(p.definition());
}

template <class N>
const N& coordinate(const Homogeneous<N>& p, int axis) {
  return axis == 0 ? p.x : axis == 1 ? p.y : p.z;
}

template <class N>
N compared(const Homogeneous<N>& a, const Homogeneous<N>& b, int axis) {
  return N(coordinate(a, axis) * b.w) - N(coordinate(b, axis) * a.w);
}

template <class N>
N oriented3(const Point& a, const Point& b, const Point& c, const Homogeneous<N>& d) {
  const Numbers3<N> origin = numbers<N>(a);
  const Numbers3<N> n = normal<N>(a, b, c);
  return dot(n, Numbers3<N>{N(d.x - N(origin.x * d.w)), N(d.y - N(origin.y * d.w)),
                            N(d.z - N(origin.z * d.w))});
}

template <class N>
N oriented2(const Homogeneous<N>& a, const Homogeneous<N>& b, const Homogeneous<N>& c, int axis) {
  const int u = (axis + 1) % 3;
  const int v = (axis + 2) % 3;
  const auto minor = [&](const Homogeneous<N>& p, const Homogeneous<N>& q) {
    return N(N(coordinate(p, u) * coordinate(q, v)) - N(coordinate(p, v) * coordinate(q, u)));
  };
  return N(N(a.w * minor(b, c)) + N(N(b.w * minor(c, a)) + N(c.w * minor(a, b))));
}

// The sign of a value with the signs of the weights that it was multiplied by taken out; nothing if
// an interval does not tell.
std::optional<int> sign(const Enclosure& value, std::initializer_list<Enclosure> weights) {
  std::optional<int> result = detail::sign_of(value);
  for (const Enclosure& w : weights) {
    const std::optional<int> s = detail::sign_of(w);
    if (!result || !s || *s == 0) return std::nullopt;
    *result *= *s;
  }
  return result;
}
int sign(const Rational& value, std::initializer_list<Rational> weights) {
  int result = sgn(value);
  for (const Rational& w : weights) result *= sgn(w);
  return result;
}

}  // namespace

ConstructedPoint::ConstructedPoint(const Point& p) : count_(1) {
  points_[0] = p;
  interval_ = coordinates<Enclosure>(definition());
}

std::optional<ConstructedPoint> ConstructedPoint::line_and_plane(const Point& p, const Point& q,
                                                                 const PlanePoints& plane) {
  ConstructedPoint point;
  point.count_ = 5;
  point.points_[0] = p;
  point.points_[1] = q;
  std::copy(plane.begin(), plane.end(), point.points_.begin() + 2);
  point.interval_ = coordinates<Enclosure>(point.definition());
  const std::optional<int> w = detail::sign_of(point.interval_.w);
  if (w ? *w == 0 : sgn(exact(point).w) == 0) return std::nullopt;
  return point;
}

std::optional<ConstructedPoint> ConstructedPoint::three_planes(const PlanePoints& a,
                                                               const PlanePoints& b,
                                                               const PlanePoints& c) {
  ConstructedPoint point;
  point.count_ = 9;
  std::copy(a.begin(), a.end(), point.points_.begin());
  std::copy(b.begin(), b.end(), point.points_.begin() + 3);
  std::copy(c.begin(), c.end(), point.points_.begin() + 6);
  point.interval_ = coordinates<Enclosure>(point.definition());
  const std::optional<int> w = detail::sign_of(point.interval_.w);
  if (w ? *w == 0 : sgn(exact(point).w) == 0) return std::nullopt;
  return point;
}

Point ConstructedPoint::approximation() const {
  if (count_ == 1) return points_[0];
  const Homogeneous<Rational> p = exact(*this);
  return {Rational(p.x / p.w).get_d(), Rational(p.y / p.w).get_d(), Rational(p.z / p.w).get_d()};
}

StagedSign compare_staged(const ConstructedPoint& a, const ConstructedPoint& b, int axis) {
  const auto& ia = a.interval();
  const auto& ib = b.interval();
  if (const auto s = sign(compared(ia, ib, axis), {ia.w, ib.w}))
    return {*s, PredicateStage::filter};
  const Homogeneous<Rational> ea = exact(a);
  const Homogeneous<Rational> eb = exact(b);
  return {sign(compared(ea, eb, axis), {ea.w, eb.w}), PredicateStage::rational};
}

int compare(const ConstructedPoint& a, const ConstructedPoint& b) {
  for (int axis = 0; axis < 3; ++axis) {
    const int s = compare_staged(a, b, axis).sign;
    if (s != 0) return s;
  }
  return 0;
}

StagedSign orient3d_staged(const Point& a, const Point& b, const Point& c,
                           const ConstructedPoint& d) {
  const auto& id = d.interval();
  if (const auto s = sign(oriented3(a, b, c, id), {id.w})) return {*s, PredicateStage::filter};
  const Homogeneous<Rational> ed = exact(d);
  return {sign(oriented3(a, b, c, ed), {ed.w}), PredicateStage::rational};
}

StagedSign orient2d_staged(const ConstructedPoint& a, const ConstructedPoint& b,
                           const ConstructedPoint& c, int axis) {
  const auto &ia = a.interval(), &ib = b.interval(), &ic = c.interval();
  if (const auto s = sign(oriented2(ia, ib, ic, axis), {ia.w, ib.w, ic.w})) {
    return {*s, PredicateStage::filter};
  }
  const Homogeneous<Rational> ea = exact(a), eb = exact(b), ec = exact(c);
  return {sign(oriented2(ea, eb, ec, axis), {ea.w, eb.w, ec.w}), PredicateStage::rational};
}

}  // namespace aguja
