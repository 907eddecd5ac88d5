#include "aguja/geometry/exact_points.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include <gmpxx.h>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"

namespace aguja {

struct ExactPoints::Whole {
  mpz_class x, y, z, w;  // w > 0

  [[nodiscard]] const mpz_class& operator[](int axis) const {
    return axis == 0 ? x : axis == 1 ? y : z;
  }
};

namespace {

using WholeNumber = mpz_class;
using detail::kRoundoff;

constexpr double kNever = std::numeric_limits<double>::infinity();
// Farther off than this, as a part of the model's own numbers, a rounded coordinate is worked out
// anew from whole numbers: filters would fail on it again and again.
constexpr double kVagueCoordinate = 0x1p-40;

// A value and how far off it may be. An operation rounds its value by 2^-53 of it at most, or by
// less than `kLeastRadius` where it underflows; radii are sums and products of a few numbers >= 0, each rounded by
// 2^-53 of it, which the last factor covers. What overflows gives infinite or no radii, and then
// nothing is decided.
struct Near {
  double value = 0;
  double radius = 0;
};
constexpr double kRadiusRounding = 1 + 0x1p-49;
// Above what underflow takes away, and not itself subnormal, which is slow.
constexpr double kLeastRadius = 0x1p-1000;

Near operator+(const Near& a, const Near& b) {
  const double v = a.value + b.value;
  return {v, (a.radius + b.radius + std::fabs(v) * kRoundoff) * kRadiusRounding};
}
Near operator-(const Near& a, const Near& b) { return a + Near{-b.value, b.radius}; }
Near operator*(const Near& a, const Near& b) {
  const double v = a.value * b.value;
  return {v, (std::fabs(a.value) * b.radius + std::fabs(b.value) * a.radius + a.radius * b.radius +
              std::fabs(v) * kRoundoff + kLeastRadius) *
                 kRadiusRounding};
}
Near operator/(const Near& a, const Near& b) {
  const double v = a.value / b.value;
  const double least = (std::fabs(b.value) - b.radius) * (1 - 8 * kRoundoff);
  if (!(least > 0)) return {0, kNever};
  return {v, ((a.radius + std::fabs(v) * b.radius) / least + std::fabs(v) * (2 * kRoundoff) +
              kLeastRadius) *
                 kRadiusRounding};
}
std::optional<int> sign_of(const Near& a) {
  if (a.value > a.radius) return 1;
  if (-a.value > a.radius) return -1;
  if (a.value == 0 && a.radius == 0) return 0;
  return std::nullopt;
}

Near near_number(double x) { return {x, 0}; }

template <class N>
struct Numbers3 {
  N x, y, z;
};
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
Numbers3<N> normal(const Numbers3<N>& a, const Numbers3<N>& b, const Numbers3<N>& c) {
  return cross(minus(b, a), minus(c, a));
}

// The point is origin + along * above / below.
template <class N>
struct LineMeetsPlane {
  Numbers3<N> origin, along;
  N above, below;
};
template <class N>
LineMeetsPlane<N> line_meets_plane(const std::array<Numbers3<N>, 9>& d) {
  const Numbers3<N> n = normal(d[2], d[3], d[4]);
  const Numbers3<N> along = minus(d[1], d[0]);
  return {d[0], along, dot(n, minus(d[2], d[0])), dot(n, along)};
}

// Cramer's rule on n_i . x = n_i . r_i, seen from the first point.
template <class N>
struct PlanesMeet {
  Numbers3<N> origin, above;
  N below;
};
template <class N>
PlanesMeet<N> planes_meet(const std::array<Numbers3<N>, 9>& d) {
  const Numbers3<N> a = normal(d[0], d[1], d[2]);
  const Numbers3<N> b = normal(d[3], d[4], d[5]);
  const Numbers3<N> c = normal(d[6], d[7], d[8]);
  const N db = dot(b, minus(d[3], d[0]));
  const N dc = dot(c, minus(d[6], d[0]));
  const Numbers3<N> ca = cross(c, a);
  const Numbers3<N> ab = cross(a, b);
  const auto sum = [&](const N& x, const N& y) { return N(N(db * x) + N(dc * y)); };
  return {d[0], {sum(ca.x, ab.x), sum(ca.y, ab.y), sum(ca.z, ab.z)}, dot(a, cross(b, c))};
}

template <class N, class P>
N minor_of(const P& p, const P& q, int u, int v) {
  return N(N(p[u] * q[v]) - N(p[v] * q[u]));
}

// By how much to shift so that the last bit of the mantissa is that of one; x is not 0.
int last_exponent(double x) {
  constexpr int kMantissaBits = 52, kLeastExponent = -1074;
  const auto bits = std::bit_cast<std::uint64_t>(x);
  const auto exponent = static_cast<int>(bits >> kMantissaBits & 0x7FF);
  std::uint64_t mantissa = bits & ((std::uint64_t{1} << kMantissaBits) - 1);
  if (exponent > 0) mantissa |= std::uint64_t{1} << kMantissaBits;
  return kLeastExponent + std::max(exponent - 1, 0) + std::countr_zero(mantissa);
}

WholeNumber shifted(double x, int least_exponent) {
  if (x == 0) return 0;
  const int exponent = last_exponent(x);
  WholeNumber n;
  mpz_set_d(n.get_mpz_t(), std::ldexp(x, -exponent));
  mpz_mul_2exp(n.get_mpz_t(), n.get_mpz_t(), static_cast<mp_bitcnt_t>(exponent - least_exponent));
  return n;
}

// x / w times two to the power of the exponent, cut off to a double; w > 0.
double quotient(const WholeNumber& x, const WholeNumber& w, int exponent) {
  constexpr int kBits = 64;  // more than a double has
  const int shift = kBits + static_cast<int>(mpz_sizeinbase(w.get_mpz_t(), 2)) -
                    static_cast<int>(mpz_sizeinbase(x.get_mpz_t(), 2));
  WholeNumber above = x, below = w;
  (shift > 0 ? above : below) <<= static_cast<mp_bitcnt_t>(std::abs(shift));
  above /= below;
  return std::ldexp(above.get_d(), exponent - shift);
}
// Is it exactly that?
bool is_quotient(double value, const WholeNumber& x, const WholeNumber& w, int exponent) {
  if (value == 0) return x == 0;
  const int own = last_exponent(value), least = std::min(own, exponent);
  WholeNumber shifted_x = x;
  shifted_x <<= static_cast<mp_bitcnt_t>(exponent - least);
  return shifted(value, least) * w == shifted_x;
}
std::string fraction(const WholeNumber& x, const WholeNumber& w, int exponent) {
  mpq_class out(x, w);
  out.canonicalize();
  const auto shift = static_cast<mp_bitcnt_t>(std::abs(exponent));
  if (exponent > 0) {
    out <<= shift;
  } else {
    out >>= shift;
  }
  return out.get_str();
}

bool is_corner(const PlaneOfPoints& plane, std::uint32_t v) {
  return plane[0] == v || plane[1] == v || plane[2] == v;
}
bool same_points(PlaneOfPoints a, PlaneOfPoints b) {
  if ((a[0] ^ a[1] ^ a[2]) != (b[0] ^ b[1] ^ b[2])) return false;
  std::sort(a.begin(), a.end());
  std::sort(b.begin(), b.end());
  return a == b;
}

PlaneOfPoints plane_at(const std::array<std::uint32_t, 9>& definition, std::size_t first) {
  return {definition[first], definition[first + 1], definition[first + 2]};
}

double coordinate_sign(const Point& a, const Point& b, int axis) {
  return static_cast<double>(a[axis] > b[axis]) - static_cast<double>(a[axis] < b[axis]);
}

int orient_along(const Point& a, const Point& b, const Point& c, int axis) {
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  return orient2d(a[u], a[v], b[u], b[v], c[u], c[v]);
}

}  // namespace

const Point ExactPoints::kNoRadius = Point::Zero();

ExactPoints::ExactPoints(std::span<const Point> given) : given_(given) {
  bool any = false;
  for (const Point& p : given) {
    for (int k = 0; k < 3; ++k) {
      if (p[k] == 0) continue;
      const int exponent = last_exponent(p[k]);
      least_exponent_ = any ? std::min(least_exponent_, exponent) : exponent;
      any = true;
    }
  }
}

ExactPoints::~ExactPoints() {
  for (std::size_t i = 0; i < made_count_; ++i) delete made_at(i).whole.load();
}

void ExactPoints::define(Made& point, const LineAndPlane& as) {
  point.count = 5;
  point.definition = {as.line[0], as.line[1], as.plane[0], as.plane[1], as.plane[2], 0, 0, 0, 0};
}
void ExactPoints::define(Made& point, const ThreePlanes& as) {
  point.count = 9;
  point.definition = {as.a[0], as.a[1], as.a[2], as.b[0], as.b[1],
                      as.b[2], as.c[0], as.c[1], as.c[2]};
}

void ExactPoints::reserve(std::size_t count) {
  while (made_.size() * kBlock < count) made_.push_back(std::make_unique<Made[]>(kBlock));
}

template <class Definition>
std::optional<ExactPointId> ExactPoints::add_one(const Definition& as) {
  reserve(made_count_ + 1);
  Made& point = made_at(made_count_);
  define(point, as);
  if (!settle(point)) return std::nullopt;
  ++made_count_;
  return ExactPointId{static_cast<std::uint32_t>(size() - 1)};
}

template <class Definition>
std::vector<std::optional<ExactPointId>> ExactPoints::add_all(std::span<const Definition> many) {
  constexpr std::size_t kGrain = 256;
  const std::size_t first = made_count_;
  reserve(first + many.size());
  made_count_ += many.size();
  std::vector<std::optional<ExactPointId>> ids(many.size());
  parallel_ranges(many.size(), kGrain, [&](Range r) {
    for (std::size_t i = r.begin; i < r.end; ++i) {
      Made& point = made_at(first + i);
      define(point, many[i]);
      if (!settle(point)) continue;
      ids[i] = ExactPointId{static_cast<std::uint32_t>(given_.size() + first + i)};
    }
  });
  return ids;
}

std::optional<ExactPointId> ExactPoints::add(const LineOfPoints& line, const PlaneOfPoints& plane) {
  return add_one(LineAndPlane{line, plane});
}
std::optional<ExactPointId> ExactPoints::add(const PlaneOfPoints& a, const PlaneOfPoints& b,
                                             const PlaneOfPoints& c) {
  return add_one(ThreePlanes{a, b, c});
}
std::vector<std::optional<ExactPointId>> ExactPoints::add(std::span<const LineAndPlane> many) {
  return add_all(many);
}
std::vector<std::optional<ExactPointId>> ExactPoints::add(std::span<const ThreePlanes> many) {
  return add_all(many);
}

bool ExactPoints::settle(Made& point) const {
  point.known = 0;
  if (!(point.count == 5 ? settle_on_line(point) : settle_on_planes(point))) return false;
  finish(point);
  return true;
}

bool ExactPoints::settle_on_line(Made& point) const {
  const auto at = [&](std::size_t i) -> const Point& { return given_[point.definition[i]]; };
  std::array<Numbers3<Near>, 9> numbers;
  for (std::size_t i = 0; i < 5; ++i) {
    numbers[i] = {near_number(at(i).x()), near_number(at(i).y()), near_number(at(i).z())};
  }
  const auto meet = line_meets_plane(numbers);
  const Near t = meet.above / meet.below;
  const Near place[3] = {meet.origin.x + meet.along.x * t, meet.origin.y + meet.along.y * t,
                         meet.origin.z + meet.along.z * t};
  bool plane_is_parallel = false;  // to an axis: then they are known to meet
  for (int k = 0; k < 3; ++k) {
    point.near[k] = place[k].value;
    point.radius[k] = place[k].radius;
    const bool plane_is_flat = at(2)[k] == at(3)[k] && at(2)[k] == at(4)[k];
    if (plane_is_flat && (at(0)[k] == at(1)[k] || orient_along(at(2), at(3), at(4), k) == 0)) {
      return false;
    }
    plane_is_parallel |= plane_is_flat;
    if (plane_is_flat || at(0)[k] == at(1)[k]) {
      point.near[k] = plane_is_flat ? at(2)[k] : at(0)[k];
      point.radius[k] = 0;
      point.known = static_cast<std::uint8_t>(point.known | 1U << k);
    }
  }
  const std::optional<int> below = sign_of(meet.below);
  if (plane_is_parallel || (below && *below != 0)) return true;
  return !below && whole_of(point).w != 0;
}

bool ExactPoints::settle_on_planes(Made& point) const {
  const auto at = [&](std::size_t i) -> const Point& { return given_[point.definition[i]]; };
  std::array<Numbers3<Near>, 9> numbers;
  for (std::size_t i = 0; i < 9; ++i) {
    numbers[i] = {near_number(at(i).x()), near_number(at(i).y()), near_number(at(i).z())};
  }
  const auto meet = planes_meet(numbers);
  const Near place[3] = {meet.origin.x + meet.above.x / meet.below,
                         meet.origin.y + meet.above.y / meet.below,
                         meet.origin.z + meet.above.z / meet.below};
  int parallel = 0;
  for (int k = 0; k < 3; ++k) {
    point.near[k] = place[k].value;
    point.radius[k] = place[k].radius;
    int flat = 0;
    for (std::size_t i = 0; i < 9; i += 3) {
      if (at(i)[k] != at(i + 1)[k] || at(i)[k] != at(i + 2)[k]) continue;
      if (orient_along(at(i), at(i + 1), at(i + 2), k) == 0) return false;
      ++flat;
      point.near[k] = at(i)[k];
      point.radius[k] = 0;
      point.known = static_cast<std::uint8_t>(point.known | 1U << k);
    }
    if (flat > 1) return false;
    parallel += flat;
  }
  const std::optional<int> below = sign_of(meet.below);
  if (parallel == 3 || (below && *below != 0)) return true;
  return !below && whole_of(point).w != 0;
}

void ExactPoints::finish(Made& point) const {
  double largest = 0;
  for (std::size_t i = 0; i < point.count; ++i) {
    largest = std::max(largest, given_[point.definition[i]].cwiseAbs().maxCoeff());
  }
  bool look = false;
  for (int k = 0; k < 3; ++k) {
    if ((point.known >> k & 1) != 0) continue;
    const double value = point.near[k], radius = point.radius[k];
    look |= !(radius <= kVagueCoordinate * largest);
    // A coordinate with few bits, or so it seems: models are drawn on grids.
    const double part = value * (0x1p27 + 1);
    const double few = part - (part - value);
    look |= std::fabs(few - value) <= radius;
  }
  if (look) look_closer(point);
}

void ExactPoints::look_closer(Made& point) const {
  const auto* numbers = new Whole(whole_of(point));
  point.whole.store(numbers);
  for (int k = 0; k < 3; ++k) {
    if ((point.known >> k & 1) != 0) continue;
    const double rounded = quotient((*numbers)[k], numbers->w, least_exponent_);
    if (!std::isfinite(rounded)) {
      point.near[k] = rounded;
      point.radius[k] = kNever;
      continue;
    }
    point.near[k] = rounded;
    if (is_quotient(rounded, (*numbers)[k], numbers->w, least_exponent_)) {
      point.radius[k] = 0;
      point.known = static_cast<std::uint8_t>(point.known | 1U << k);
    } else {
      // Cut off, not rounded: off by less than an ulp.
      point.radius[k] = std::max(std::fabs(rounded) * (2 * kRoundoff), kLeastRadius);
    }
  }
}

ExactPoints::Whole ExactPoints::whole_of(const Point& p) const {
  return {shifted(p.x(), least_exponent_), shifted(p.y(), least_exponent_),
          shifted(p.z(), least_exponent_), 1};
}

ExactPoints::Whole ExactPoints::whole_of(const Made& point) const {
  std::array<Numbers3<WholeNumber>, 9> numbers;
  for (std::size_t i = 0; i < point.count; ++i) {
    Whole own = whole_of(given_[point.definition[i]]);
    numbers[i] = {std::move(own.x), std::move(own.y), std::move(own.z)};
  }
  Whole out;
  if (point.count == 5) {
    const auto meet = line_meets_plane(numbers);
    out.w = meet.below;
    out.x = meet.origin.x * meet.below + meet.along.x * meet.above;
    out.y = meet.origin.y * meet.below + meet.along.y * meet.above;
    out.z = meet.origin.z * meet.below + meet.along.z * meet.above;
  } else {
    const auto meet = planes_meet(numbers);
    out.w = meet.below;
    out.x = meet.origin.x * meet.below + meet.above.x;
    out.y = meet.origin.y * meet.below + meet.above.y;
    out.z = meet.origin.z * meet.below + meet.above.z;
  }
  if (out.w < 0) {
    for (WholeNumber* n : {&out.x, &out.y, &out.z, &out.w}) *n = -*n;
  }
  return out;
}

const ExactPoints::Whole& ExactPoints::whole(ExactPointId p) const {
  const Made& m = made(p);
  if (const Whole* there = m.whole.load(std::memory_order_acquire)) return *there;
  const auto* own = new Whole(whole_of(m));
  const Whole* none = nullptr;
  if (m.whole.compare_exchange_strong(none, own, std::memory_order_acq_rel)) return *own;
  delete own;
  return *none;
}

Point ExactPoints::approximation(ExactPointId p) const {
  if (is_given(p)) return given_[p.value];
  const Made& m = made(p);
  Point near = m.near;
  for (int k = 0; k < 3; ++k) {
    if (m.radius[k] <= std::fabs(m.near[k]) * kRoundoff) continue;
    near[k] = quotient(whole(p)[k], whole(p).w, least_exponent_);
  }
  return near;
}

Box ExactPoints::bounds(ExactPointId p) const {
  Box box;
  const Seen s = seen(p);
  for (int k = 0; k < 3; ++k) {
    const double by = (*s.radius)[k] + std::fabs((*s.near)[k]) * (4 * kRoundoff) + kLeastRadius;
    const bool known = (s.known >> k & 1) != 0;
    box.low[k] = known ? (*s.near)[k] : (*s.near)[k] - by;
    box.high[k] = known ? (*s.near)[k] : (*s.near)[k] + by;
  }
  return box;
}

std::array<std::string, 3> ExactPoints::fractions(ExactPointId p) const {
  std::array<std::string, 3> out;
  for (int k = 0; k < 3; ++k) {
    const Whole own = is_given(p) ? whole_of(given_[p.value]) : whole(p);
    out[static_cast<std::size_t>(k)] = fraction(own[k], own.w, least_exponent_);
  }
  return out;
}

bool ExactPoints::is_on(ExactPointId p, const LineOfPoints& line) const {
  if (is_given(p)) return p.value == line[0] || p.value == line[1];
  const auto& d = made(p).definition;
  return made(p).count == 5 && std::minmax(d[0], d[1]) == std::minmax(line[0], line[1]);
}

bool ExactPoints::is_on(ExactPointId p, const PlaneOfPoints& plane) const {
  if (is_given(p)) return is_corner(plane, p.value);
  const Made& m = made(p);
  if (m.count == 5) {
    return same_points(plane_at(m.definition, 2), plane) ||
           (is_corner(plane, m.definition[0]) && is_corner(plane, m.definition[1]));
  }
  for (std::size_t i = 0; i < 9; i += 3) {
    if (same_points(plane_at(m.definition, i), plane)) return true;
  }
  return false;
}

bool ExactPoints::on_one_line_by_definition(ExactPointId a, ExactPointId b, ExactPointId c) const {
  const ExactPointId all[3] = {a, b, c};
  const auto all_on = [&](const auto& what) {
    return is_on(a, what) && is_on(b, what) && is_on(c, what);
  };
  std::vector<PlaneOfPoints> planes;
  for (const ExactPointId p : all) {
    if (is_given(p)) continue;
    const Made& m = made(p);
    if (m.count == 5 && all_on(LineOfPoints{m.definition[0], m.definition[1]})) return true;
    for (std::size_t i = m.count == 5 ? 2 : 0; i < m.count; i += 3) {
      const PlaneOfPoints plane = plane_at(m.definition, i);
      if (!all_on(plane)) continue;
      const bool is_new = std::none_of(planes.begin(), planes.end(), [&](const PlaneOfPoints& q) {
        return same_points(plane, q);
      });
      if (is_new) planes.push_back(plane);
    }
  }
  // Of two planes that are one, a line is not the meet: some point then is on a third plane or a
  // line, and says that both are needed.
  for (std::size_t i = 0; i + 1 < planes.size(); ++i) {
    for (const ExactPointId p : all) {
      if (is_given(p)) continue;
      const Made& m = made(p);
      if (m.count != 9) continue;
      int of_it = 0;
      for (std::size_t k = 0; k < 9; k += 3) {
        const PlaneOfPoints plane = plane_at(m.definition, k);
        of_it += static_cast<int>(same_points(plane, planes[i])) +
                 static_cast<int>(same_points(plane, planes[i + 1]));
      }
      if (of_it == 2) return true;
    }
    // A line through a plane is not in it: its own plane, if it is the other one, is another.
    for (const ExactPointId p : all) {
      if (is_given(p) || made(p).count != 5) continue;
      const auto& d = made(p).definition;
      const PlaneOfPoints cut = plane_at(d, 2);
      for (const auto& [one, other] :
           {std::pair(planes[i], planes[i + 1]), std::pair(planes[i + 1], planes[i])}) {
        if (same_points(cut, one) && is_corner(other, d[0]) && is_corner(other, d[1])) return true;
      }
    }
  }
  return false;
}

StagedSign ExactPoints::compare_staged(ExactPointId a, ExactPointId b, int axis) const {
  if (a == b) return {0, PredicateStage::by_definition};
  const Seen sa = seen(a), sb = seen(b);
  const double difference = (*sa.near)[axis] - (*sb.near)[axis];
  const double radius = ((*sa.radius)[axis] + (*sb.radius)[axis]) * kRadiusRounding;
  // A difference has the right sign, and is zero only if it is zero: two known ones need no more.
  if (difference > radius * (1 + 8 * kRoundoff)) return {1, PredicateStage::filter};
  if (-difference > radius * (1 + 8 * kRoundoff)) return {-1, PredicateStage::filter};
  if ((sa.known & sb.known) >> axis & 1) return {0, PredicateStage::zero_column};
  const auto of = [&](ExactPointId p) {
    return is_given(p) ? whole_of(given_[p.value]) : whole(p);
  };
  const Whole wa = of(a), wb = of(b);
  return {sgn(WholeNumber(wa[axis] * wb.w - wb[axis] * wa.w)), PredicateStage::whole};
}

int ExactPoints::compare(ExactPointId a, ExactPointId b) const {
  for (int axis = 0; axis < 3; ++axis) {
    if (const int s = compare(a, b, axis); s != 0) return s;
  }
  return 0;
}

StagedSign ExactPoints::orient3d_staged(const PlaneOfPoints& plane, ExactPointId d) const {
  const Point &a = given_[plane[0]], &b = given_[plane[1]], &c = given_[plane[2]];
  const Seen sd = seen(d);
  if (sd.known == 7) return aguja::orient3d_staged(a, b, c, *sd.near);
  for (int k = 0; k < 3; ++k) {
    if ((sd.known >> k & 1) == 0 || a[k] != b[k] || a[k] != c[k]) continue;
    const double side = coordinate_sign(*sd.near, a, k);
    if (side == 0) return {0, PredicateStage::zero_column};
    return {static_cast<int>(side) * orient_along(a, b, c, k), PredicateStage::filter};
  }
  const auto from_a = [&](const Point& p, const Point& radius) {
    return Numbers3<Near>{Near{p.x(), radius.x()} - near_number(a.x()),
                          Near{p.y(), radius.y()} - near_number(a.y()),
                          Near{p.z(), radius.z()} - near_number(a.z())};
  };
  const Near det =
      dot(cross(from_a(b, kNoRadius), from_a(c, kNoRadius)), from_a(*sd.near, *sd.radius));
  if (const auto s = sign_of(det)) return {*s, PredicateStage::filter};
  if (is_on(d, plane)) return {0, PredicateStage::by_definition};
  const Whole& wd = whole(d);
  std::array<Numbers3<WholeNumber>, 3> corner;
  for (std::size_t i = 0; i < 3; ++i) {
    Whole own = whole_of(given_[plane[i]]);
    corner[i] = {std::move(own.x), std::move(own.y), std::move(own.z)};
  }
  const Numbers3<WholeNumber> n = normal(corner[0], corner[1], corner[2]);
  const WholeNumber exact = dot(n, Numbers3<WholeNumber>{WholeNumber(wd.x - corner[0].x * wd.w),
                                                         WholeNumber(wd.y - corner[0].y * wd.w),
                                                         WholeNumber(wd.z - corner[0].z * wd.w)});
  return {sgn(exact), PredicateStage::whole};
}

StagedSign ExactPoints::orient2d_staged(ExactPointId a, ExactPointId b, ExactPointId c,
                                        int axis) const {
  if (a == b || b == c || c == a) return {0, PredicateStage::by_definition};
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  const Seen sa = seen(a), sb = seen(b), sc = seen(c);
  const std::uint8_t known = sa.known & sb.known & sc.known;
  const Point &pa = *sa.near, &pb = *sb.near, &pc = *sc.near;
  const bool u_known = known >> u & 1, v_known = known >> v & 1;
  if (u_known && v_known) {
    return aguja::orient2d_staged(pa[u], pa[v], pb[u], pb[v], pc[u], pc[v]);
  }
  if ((u_known && pa[u] == pb[u] && pa[u] == pc[u]) ||
      (v_known && pa[v] == pb[v] && pa[v] == pc[v])) {
    return {0, PredicateStage::zero_column};
  }
  const auto at = [](const Seen& s, int k) { return Near{(*s.near)[k], (*s.radius)[k]}; };
  const Near det = (at(sa, u) - at(sc, u)) * (at(sb, v) - at(sc, v)) -
                   (at(sa, v) - at(sc, v)) * (at(sb, u) - at(sc, u));
  if (const auto s = sign_of(det)) return {*s, PredicateStage::filter};
  if (on_one_line_by_definition(a, b, c)) return {0, PredicateStage::by_definition};
  const auto of = [&](ExactPointId p) {
    return is_given(p) ? whole_of(given_[p.value]) : whole(p);
  };
  const Whole wa = of(a), wb = of(b), wc = of(c);
  const WholeNumber exact = wa.w * minor_of<WholeNumber>(wb, wc, u, v) +
                            wb.w * minor_of<WholeNumber>(wc, wa, u, v) +
                            wc.w * minor_of<WholeNumber>(wa, wb, u, v);
  return {sgn(exact), PredicateStage::whole};
}

StagedSign ExactPoints::in_circle_staged(ExactPointId a, ExactPointId b, ExactPointId c,
                                         ExactPointId d, int axis) const {
  const int u = (axis + 1) % 3, v = (axis + 2) % 3;
  const ExactPointId all[4] = {a, b, c, d};
  Seen s[4];
  bool all_known = true;
  for (int i = 0; i < 4; ++i) {
    s[i] = seen(all[i]);
    all_known &= (s[i].known >> u & 1) != 0 && (s[i].known >> v & 1) != 0;
  }
  if (all_known) {
    const auto x = [&](int i) { return (*s[i].near)[u]; };
    const auto y = [&](int i) { return (*s[i].near)[v]; };
    return aguja::in_circle_staged(x(0), y(0), x(1), y(1), x(2), y(2), x(3), y(3));
  }
  Near x[3], y[3];
  for (int i = 0; i < 3; ++i) {
    x[i] = Near{(*s[i].near)[u], (*s[i].radius)[u]} - Near{(*s[3].near)[u], (*s[3].radius)[u]};
    y[i] = Near{(*s[i].near)[v], (*s[i].radius)[v]} - Near{(*s[3].near)[v], (*s[3].radius)[v]};
  }
  Near det;
  for (int i = 0; i < 3; ++i) {
    const int j = (i + 1) % 3, k = (i + 2) % 3;
    det = det + (x[i] * x[i] + y[i] * y[i]) * (x[j] * y[k] - y[j] * x[k]);
  }
  if (const auto sign = sign_of(det)) return {*sign, PredicateStage::filter};
  const auto of = [&](ExactPointId p) {
    return is_given(p) ? whole_of(given_[p.value]) : whole(p);
  };
  const Whole last = of(d);
  WholeNumber wx[3], wy[3], ww[3];
  for (int i = 0; i < 3; ++i) {
    const Whole own = of(all[i]);
    wx[i] = own[u] * last.w - last[u] * own.w;
    wy[i] = own[v] * last.w - last[v] * own.w;
    ww[i] = own.w * last.w;
  }
  WholeNumber exact = 0;
  for (int i = 0; i < 3; ++i) {
    const int j = (i + 1) % 3, k = (i + 2) % 3;
    exact += (wx[i] * wx[i] + wy[i] * wy[i]) * (wx[j] * wy[k] - wy[j] * wx[k]) * ww[j] * ww[k];
  }
  return {sgn(exact), PredicateStage::whole};
}

ExactPoints::View ExactPoints::view_of(const PlaneOfPoints& plane) const {
  const Point &a = given_[plane[0]], &b = given_[plane[1]], &c = given_[plane[2]];
  const Vector p = b - a, q = c - a;
  const double n[3] = {std::fabs(p.y() * q.z() - p.z() * q.y()),
                       std::fabs(p.z() * q.x() - p.x() * q.z()),
                       std::fabs(p.x() * q.y() - p.y() * q.x())};
  int axes[3] = {0, 1, 2};
  std::stable_sort(axes, axes + 3, [&](int i, int j) { return n[i] > n[j]; });
  for (const int axis : axes) {
    if (const int sign = orient_along(a, b, c, axis); sign != 0) return {axis, sign};
  }
  return {0, 0};
}

namespace {

// Half-planes around a line, and how they lie to each other.
class AroundLine {
 public:
  AroundLine(const ExactPoints& points, ExactPointId from, ExactPointId to,
             std::span<const HalfPlane> all)
      : points_(points), from_(from), to_(to), all_(all) {
    for (const HalfPlane& h : all) {
      const ExactPoints::View view = points.view_of(h.plane);
      const int side = points.orient2d(from, to, h.apex, view.axis);
      if (side == 0 || view.sign == 0) {
        throw ArgumentError("order_around: a half-plane has its apex on the line, or no plane");
      }
      axis_.push_back(view.axis);
      side_.push_back(side);
      turn_.push_back(side * view.sign);
    }
  }

  // Is the other one's apex ahead of this one, counter-clockwise by less than half a turn (+1), or
  // behind (-1), or in its plane?
  [[nodiscard]] int ahead(std::uint32_t i, std::uint32_t other) const {
    return points_.orient3d(all_[i].plane, all_[other].apex) * turn_[i];
  }
  // 0: where the first one is; 1: in the half-turn after it; 2: opposite; 3: in the other one.
  [[nodiscard]] int quarter(std::uint32_t i) const {
    if (i == 0) return 0;
    const int where = ahead(0, i);
    if (where != 0) return where > 0 ? 1 : 3;
    return points_.orient2d(from_, to_, all_[i].apex, axis_[0]) == side_[0] ? 0 : 2;
  }

 private:
  const ExactPoints& points_;
  ExactPointId from_, to_;
  std::span<const HalfPlane> all_;
  std::vector<int> axis_, side_, turn_;
};

}  // namespace

std::vector<std::vector<std::uint32_t>> order_around(const ExactPoints& points, ExactPointId from,
                                                     ExactPointId to,
                                                     std::span<const HalfPlane> half_planes) {
  const AroundLine around(points, from, to, half_planes);
  std::vector<std::uint32_t> order(half_planes.size());
  std::vector<int> quarter(half_planes.size());
  for (std::uint32_t i = 0; i < order.size(); ++i) {
    order[i] = i;
    quarter[i] = around.quarter(i);
  }
  const auto before = [&](std::uint32_t i, std::uint32_t j) {
    if (quarter[i] != quarter[j]) return quarter[i] < quarter[j];
    return quarter[i] % 2 == 1 && around.ahead(i, j) > 0;
  };
  std::stable_sort(order.begin(), order.end(), before);
  std::vector<std::vector<std::uint32_t>> groups;
  for (const std::uint32_t i : order) {
    if (groups.empty() || before(groups.back().front(), i)) groups.emplace_back();
    groups.back().push_back(i);
  }
  return groups;
}

int turn_around(const ExactPoints& points, ExactPointId from, ExactPointId to,
                const HalfPlane& first, const HalfPlane& second) {
  const HalfPlane both[2] = {first, second};
  return AroundLine(points, from, to, both).ahead(0, 1);
}

}  // namespace aguja
