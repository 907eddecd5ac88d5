#include "tests/support/exact_contact.h"

#include <algorithm>
#include <vector>

namespace aguja::test {
namespace {

using Q = mpq_class;
struct V {
  Q x, y, z;
  friend V operator-(const V& a, const V& b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
  friend V operator+(const V& a, const V& b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
  friend V operator*(const V& a, const Q& s) { return {a.x * s, a.y * s, a.z * s}; }
  friend bool operator==(const V& a, const V& b) { return a.x == b.x && a.y == b.y && a.z == b.z; }
};
Q dot(const V& a, const V& b) { return a.x * b.x + a.y * b.y + a.z * b.z; }
V cross(const V& a, const V& b) {
  return {a.y * b.z - a.z * b.y, a.z * b.x - a.x * b.z, a.x * b.y - a.y * b.x};
}

struct T {
  V p[3];
  V normal() const { return cross(p[1] - p[0], p[2] - p[0]); }
};

T exact(const RationalTriangle& t) {
  T result;
  for (std::size_t i = 0; i < 3; ++i) {
    result.p[i] = {t.corner[i][0], t.corner[i][1], t.corner[i][2]};
  }
  return result;
}

// What a half-space leaves of a convex chain of points: a polygon, a segment or a point.
std::vector<V> clip(const std::vector<V>& chain, const V& origin, const V& inward) {
  std::vector<V> kept;
  for (std::size_t i = 0; i < chain.size(); ++i) {
    const V& from = chain[i];
    const V& to = chain[(i + 1) % chain.size()];
    const Q hf = dot(inward, from - origin);
    const Q ht = dot(inward, to - origin);
    if (hf >= 0) kept.push_back(from);
    if ((hf > 0 && ht < 0) || (hf < 0 && ht > 0)) {
      kept.push_back(from + (to - from) * Q(hf / (hf - ht)));
    }
  }
  std::vector<V> distinct;
  for (const V& v : kept) {
    if (std::find(distinct.begin(), distinct.end(), v) == distinct.end()) distinct.push_back(v);
  }
  return distinct;
}

std::vector<V> clip(std::vector<V> chain, const T& t) {
  for (int i = 0; i < 3 && !chain.empty(); ++i) {
    chain = clip(chain, t.p[i], cross(t.normal(), t.p[(i + 1) % 3] - t.p[i]));
  }
  return chain;
}

bool on_segment(const V& p, const V& a, const V& b) {
  const V d = b - a;
  if (!(cross(d, p - a) == V{0, 0, 0})) return false;
  const Q at = dot(d, p - a);
  return at >= 0 && at <= dot(d, d);
}

bool strictly_inside(const V& p, const T& t) {
  for (int i = 0; i < 3; ++i) {
    if (dot(cross(t.normal(), t.p[(i + 1) % 3] - t.p[i]), p - t.p[i]) <= 0) return false;
  }
  return true;
}

}  // namespace

RationalTriangle rational(const LabelledTriangle& t) {
  RationalTriangle out;
  for (std::size_t i = 0; i < 3; ++i) out.corner[i] = rational(t.corner[i]);
  out.label = t.label;
  return out;
}

Contact contact_by_rationals(const LabelledTriangle& a, const LabelledTriangle& b) {
  return contact_by_rationals(rational(a), rational(b));
}

Contact contact_by_rationals(const RationalTriangle& la, const RationalTriangle& lb) {
  const T a = exact(la);
  const T b = exact(lb);
  std::vector<V> shared;
  for (int i = 0; i < 3; ++i) {
    for (int j = 0; j < 3; ++j) {
      if (la.label[i] == lb.label[j]) shared.push_back(a.p[i]);
    }
  }
  if (shared.size() == 3) return Contact::none;

  // b in the plane of a, from both sides; then within a.
  std::vector<V> common(b.p, b.p + 3);
  common = clip(common, a.p[0], a.normal());
  common = clip(common, a.p[0], a.normal() * Q(-1));
  common = clip(common, a);
  if (common.size() >= 3) return Contact::overlap;  // distinct and convex: not on one line
  bool beyond = false;
  for (const V& v : common) {
    const bool in_shared = (shared.size() == 1 && v == shared[0]) ||
                           (shared.size() == 2 && on_segment(v, shared[0], shared[1]));
    beyond |= !in_shared;
  }
  if (!beyond) return Contact::none;
  if (common.size() == 2) {
    const V middle = (common[0] + common[1]) * Q(1, 2);
    const bool coplanar = cross(a.normal(), b.normal()) == V{0, 0, 0};
    if (!coplanar && strictly_inside(middle, a) && strictly_inside(middle, b)) {
      return Contact::crossing;
    }
  }
  return Contact::touch;
}

}  // namespace aguja::test
