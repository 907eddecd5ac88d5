// crossing, overlap, touch: connected groups of pairs of triangles that meet where they should not.

#include <array>
#include <cmath>

#include "inspect/check.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Pairs belong together if they have a triangle in common and their other triangles meet in a
// vertex: a curve goes on from one into the other.
std::vector<std::vector<TrianglePair>> groups_of(const Anatomy& a) {
  return connected_groups(a.crossings, [&](const TrianglePair& pair, const auto& add) {
    const auto key = [](TriangleId t, VertexId v) {
      return std::uint64_t{t.value} << 32 | v.value;
    };
    for (const VertexId v : a.welded.triangle(pair.second).corner) add(key(pair.first, v));
    for (const VertexId v : a.welded.triangle(pair.first).corner) add(key(pair.second, v));
  });
}

FindingKind kind_of(Contact contact) {
  switch (contact) {
    case Contact::crossing:
      return FindingKind::crossing;
    case Contact::overlap:
      return FindingKind::overlap;
    default:
      return FindingKind::touch;
  }
}

// What the figures of one group add up to. Contacts of a lesser kind are symptoms of the worst.
struct Sum {
  Contact worst = Contact::touch;
  double length = 0;
  double area = 0;
  double depth = 0;
  Vector moment = Vector::Zero();
  double weight = 0;
  Vector places = Vector::Zero();
  std::size_t count = 0;
  Box box;
};

Sum sum_of(const Anatomy& a, const std::vector<TrianglePair>& group) {
  Sum sum;
  for (const TrianglePair& pair : group) sum.worst = std::max(sum.worst, pair.contact);
  Point origin = Point::Zero();
  for (const TrianglePair& pair : group) {
    if (pair.contact != sum.worst) continue;
    const ContactShape shape = shape_of(a.welded, pair);
    if (sum.count == 0) origin = shape.place;
    const double length = (shape.to - shape.from).norm();
    const double weight = sum.worst == Contact::overlap ? shape.area : length;
    sum.length += length;
    sum.area += shape.area;
    sum.depth = std::max(sum.depth, shape.depth);
    sum.moment += weight * (shape.place - origin);
    sum.places += shape.place - origin;
    sum.weight += weight;
    sum.box.extend(shape.from);
    sum.box.extend(shape.to);
    ++sum.count;
  }
  sum.moment = origin + (sum.weight > 0 ? Vector(sum.moment / sum.weight)
                                        : Vector(sum.places / static_cast<double>(sum.count)));
  return sum;
}

}  // namespace

void check_crossings(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.crossings.empty()) return;
  for (const std::vector<TrianglePair>& group : groups_of(a)) {
    const Sum sum = sum_of(a, group);
    Finding finding;
    finding.kind = kind_of(sum.worst);
    finding.count = group.size();
    finding.measure = sum.worst == Contact::overlap ? sum.area : sum.length;
    finding.place = sum.moment;
    finding.box = sum.box;
    finding.depth = sum.worst == Contact::crossing ? std::optional(sum.depth) : std::nullopt;
    finding.detail = std::to_string(group.size()) +
                     (group.size() == 1 ? " pair of triangles" : " pairs of triangles");
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    for (const TrianglePair& pair : group) {
      append_points(a, pair.first, points);
      append_points(a, pair.second, points);
      triangles.push_back(pair.first);
      triangles.push_back(pair.second);
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace aguja
