// crossing, overlap, touch: connected groups of pairs of triangles that meet where they should not.

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <memory>
#include <unordered_map>

#include "aguja/solid/common_space.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"

namespace aguja {
namespace {

// Contacts that something else explains: those between the two sides of a crack, no deeper than it
// may be wide; of surplus copies; along a triangle of no area; within a shell that encloses
// nothing; of borders that overlap.
class Symptoms {
 public:
  explicit Symptoms(const PartView& view)
      : anatomy_(view.anatomy),
        causes_(view.causes),
        tolerance_(view.survey.tolerance),
        reach_(std::max(tolerance_, view.limits[Limit::near_vertices])) {
    for (const ZeroAreaTriangle& z : anatomy_.zero_area) {
      const Triangle& flat = anatomy_.welded.triangle(z.triangle);
      for (std::size_t c = 0; c < 3; ++c) {
        const auto e = anatomy_.edges.find(flat[c], flat[(c + 1) % 3]);
        if (!e) continue;
        for (const EdgeUse use : anatomy_.edges.uses(*e)) {
          beside_flat_[use.triangle().value].push_back(z.triangle);
        }
      }
    }
    const RimSurvey& survey = view.survey;
    for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
      if (survey.kind[s] != StretchKind::crack) continue;
      on_crack_.resize(anatomy_.welded.points().size());
      for (const std::uint32_t p : survey.stretches[s].pairs) {
        for (const RimPiece& piece :
             {survey.pairing.pairs[p].first, survey.pairing.pairs[p].second}) {
          const NakedEdge& e = survey.pairing.naked[piece.naked];
          on_crack_[e.from.value] = on_crack_[e.to.value] = true;
        }
      }
    }
  }
  // A vertex of a rim on the inside of a naked edge is told as hanging.
  [[nodiscard]] bool hangs(const TrianglePair& pair) const {
    return hangs_on(pair.first, pair.second) || hangs_on(pair.second, pair.first);
  }
  [[nodiscard]] bool hangs_on(TriangleId tip, TriangleId base) const {
    const auto is_naked = [&](VertexId u, VertexId v) {
      const auto e = anatomy_.edges.find(u, v);
      return e && anatomy_.edges.is_naked(*e);
    };
    const Triangle& t = anatomy_.welded.triangle(tip);
    const Triangle& b = anatomy_.welded.triangle(base);
    for (std::size_t c = 0; c < 3; ++c) {
      if (!is_naked(t[c], t[(c + 1) % 3]) && !is_naked(t[(c + 2) % 3], t[c])) continue;
      const Point& p = anatomy_.welded.point(t[c]);
      for (std::size_t k = 0; k < 3; ++k) {
        if (!is_naked(b[k], b[(k + 1) % 3])) continue;
        const Point& from = anatomy_.welded.point(b[k]);
        const Vector along = anatomy_.welded.point(b[(k + 1) % 3]) - from;
        const double at = along.dot(p - from) / along.squaredNorm();
        if (at > 0 && at < 1 && (p - from - at * along).norm() <= reach_) return true;
      }
    }
    return false;
  }
  [[nodiscard]] bool includes(const TrianglePair& pair) const {
    if (causes_.is_surplus(pair.first) || causes_.is_surplus(pair.second)) return true;
    if (causes_.shingle_of(pair.first, pair.second)) return true;
    const ShellId shell = anatomy_.components.shell_of[pair.first.value];
    if (shell == anatomy_.components.shell_of[pair.second.value] &&
        anatomy_.shells[shell.value].closed && anatomy_.shells[shell.value].volume_sign == 0) {
      return true;
    }
    if (pair.contact == Contact::touch && (share_a_flat_one(pair) || hangs(pair))) return true;
    if (on_crack_.empty() || !at_crack(pair.first) || !at_crack(pair.second)) return false;
    return pair.contact != Contact::crossing || shape_of(anatomy_.welded, pair).inset <= tolerance_;
  }

 private:
  [[nodiscard]] bool share_a_flat_one(const TrianglePair& pair) const {
    const auto first = beside_flat_.find(pair.first.value);
    const auto second = beside_flat_.find(pair.second.value);
    if (first == beside_flat_.end() || second == beside_flat_.end()) return false;
    return std::find_first_of(first->second.begin(), first->second.end(), second->second.begin(),
                              second->second.end()) != first->second.end();
  }
  [[nodiscard]] bool at_crack(TriangleId t) const {
    const Triangle& triangle = anatomy_.welded.triangle(t);
    return std::any_of(std::begin(triangle.corner), std::end(triangle.corner),
                       [&](VertexId v) { return on_crack_[v.value]; });
  }

  const Anatomy& anatomy_;
  const Causes& causes_;
  double tolerance_;
  double reach_;                                                            // of hanging vertices
  std::unordered_map<std::uint32_t, std::vector<TriangleId>> beside_flat_;  // by neighbour
  std::vector<bool> on_crack_;  // by vertex; empty if there are no cracks
};

// Pairs belong together if they have a triangle in common and their other triangles meet in a
// vertex: a curve goes on from one into the other.
std::vector<std::vector<TrianglePair>> groups_of(const PartView& view) {
  const Anatomy& a = view.anatomy;
  const Symptoms symptoms(view);
  std::vector<TrianglePair> pairs;
  for (const TrianglePair& pair : a.crossings) {
    if (!symptoms.includes(pair)) pairs.push_back(pair);
  }
  return connected_groups(pairs, [&](const TrianglePair& pair, const auto& add) {
    const auto key = [](TriangleId t, VertexId v) {
      return std::uint64_t{t.value} << 32 | v.value;
    };
    for (const VertexId v : a.welded.triangle(pair.second).corner) add(key(pair.first, v));
    for (const VertexId v : a.welded.triangle(pair.first).corner) add(key(pair.second, v));
  });
}

// What the figures of one group add up to. Contacts of a lesser kind are symptoms of the worst.
struct Sum {
  Contact worst = Contact::touch;
  double length = 0;
  double area = 0;
  double reach = 0;
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
    sum.reach = std::max(sum.reach, shape.reach);
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

// How deep bodies of one part lie in each other: asked of shells that are solids but for passing
// through another one.
class ShellDepths {
 public:
  explicit ShellDepths(const Anatomy& anatomy)
      : anatomy_(anatomy),
        triangles_(anatomy.components),
        has_inside_(anatomy.shells.size()),
        meshes_(anatomy.shells.size()) {
    for (std::size_t s = 0; s < has_inside_.size(); ++s) {
      const Shell& shell = anatomy.shells[s];
      has_inside_[s] = shell.closed && shell.manifold && shell.oriented && shell.volume_sign > 0;
    }
    for (const TrianglePair& pair : anatomy.crossings) {
      if (shell_of(pair.first) == shell_of(pair.second)) has_inside_[shell_of(pair.first)] = false;
    }
    // What has cavities is more than its shell.
    for (const Shell& shell : anatomy.shells) {
      if (shell.inside_of) has_inside_[*shell.inside_of] = false;
    }
  }

  std::optional<double> of(const std::vector<TrianglePair>& group) {
    const std::pair<std::size_t, std::size_t> shells =
        std::minmax(shell_of(group[0].first), shell_of(group[0].second));
    for (const TrianglePair& pair : group) {
      const std::pair<std::size_t, std::size_t> own =
          std::minmax(shell_of(pair.first), shell_of(pair.second));
      if (own != shells) return std::nullopt;
    }
    if (shells.first == shells.second || !has_inside_[shells.first] ||
        !has_inside_[shells.second]) {
      return std::nullopt;
    }
    if (const auto at = known_.find(shells); at != known_.end()) return at->second;
    if (known_.size() >= kMostPairs) return std::nullopt;
    const SearchedMesh a(mesh_of(shells.first)), b(mesh_of(shells.second));
    const CommonSpace common = common_space(a, true, b, true);
    return known_[shells] = std::max(depth_of(*common.first, b), depth_of(*common.second, a));
  }

 private:
  // The rest of very many is found without.
  static constexpr std::size_t kMostPairs = 200;

  [[nodiscard]] std::size_t shell_of(TriangleId t) const {
    return anatomy_.components.shell_of[t.value].value;
  }
  const Mesh& mesh_of(std::size_t s) {
    if (meshes_[s]) return *meshes_[s];
    meshes_[s] = std::make_unique<Mesh>();
    Mesh& mesh = *meshes_[s];
    std::unordered_map<std::uint32_t, std::uint32_t> numbers;
    for (const TriangleId t : triangles_[s]) {
      Triangle own{};
      for (std::size_t i = 0; i < 3; ++i) {
        const VertexId v = anatomy_.welded.triangle(t)[i];
        const auto [at, is_new] =
            numbers.try_emplace(v.value, static_cast<std::uint32_t>(mesh.points.size()));
        if (is_new) mesh.points.push_back(anatomy_.welded.point(v));
        own[i] = {at->second};
      }
      mesh.triangles.push_back(own);
    }
    return mesh;
  }

  const Anatomy& anatomy_;
  TrianglesByShell triangles_;
  std::vector<bool> has_inside_;
  std::vector<std::unique_ptr<Mesh>> meshes_;
  std::map<std::pair<std::size_t, std::size_t>, double> known_;
};

}  // namespace

FindingKind contact_kind(Contact contact) {
  switch (contact) {
    case Contact::crossing:
      return FindingKind::crossing;
    case Contact::overlap:
      return FindingKind::overlap;
    default:
      return FindingKind::touch;
  }
}

void check_crossings(const PartView& view, FindingSink& sink) {
  const Anatomy& a = view.anatomy;
  if (a.crossings.empty()) return;
  ShellDepths depths(a);
  for (const std::vector<TrianglePair>& group : groups_of(view)) {
    const Sum sum = sum_of(a, group);
    Finding finding;
    finding.kind = contact_kind(sum.worst);
    finding.count = group.size();
    finding.measure = sum.worst == Contact::overlap ? sum.area : sum.length;
    finding.place = sum.moment;
    finding.box = sum.box;
    if (sum.worst == Contact::crossing) {
      finding.reach = sum.reach;
      finding.depth = depths.of(group);
    }
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
