// sliver-patch, tiny-patch, short-edge, acute-corner, knife-edge, split-patch, runaway-face: what
// is too small, too thin or too sharp about patches and their borders.

#include <cmath>
#include <map>
#include <numbers>
#include <unordered_map>
#include <unordered_set>

#include <Eigen/Geometry>

#include "base/numbers.h"
#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"
#include "inspect/patch_borders.h"

namespace aguja {
namespace {

constexpr double kLongAgainstWidth = 10;

Vector area_vector(const Anatomy& a, TriangleId t) {
  const Triangle& c = a.welded.triangle(t);
  return 0.5 * (a.welded.point(c[1]) - a.welded.point(c[0]))
                   .cross(a.welded.point(c[2]) - a.welded.point(c[0]));
}

class PatchChecks {
 public:
  PatchChecks(const PartView& view, FindingSink& sink)
      : view_(view),
        sink_(sink),
        a_(view.anatomy),
        patches_(*view.patches),
        borders_(find_borders(a_, patches_)),
        small_(patches_.patches.size()) {}

  void run() {
    measure_patches();
    report_small();
    report_short_edges();
    report_acute_corners();
    report_knife_edges();
    report_split();
    report_runaways();
  }

 private:
  struct Own {
    std::vector<TriangleId> triangles;
    Box box;
    double part_area = 0;
    bool explained = true;  // something else is told of all of it
  };

  void measure_patches() {
    own_.resize(patches_.patches.size());
    std::unordered_set<std::uint32_t> flat;
    for (const ZeroAreaTriangle& z : a_.zero_area) flat.insert(z.triangle.value);
    for (const TrianglePair& pair : a_.crossings) {
      told_.insert({pair.first.value, pair.second.value});
    }
    for (const FoldedTriangle& f : find_folded(view_)) told_.insert(f.triangle.value);
    for (std::uint32_t t = 0; t < patches_.patch_of.size(); ++t) {
      const std::uint32_t p = patches_.patch_of[t].value;
      if (p == kNoIndex) continue;
      own_[p].triangles.push_back({t});
      for (const VertexId v : a_.welded.triangles()[t].corner) {
        own_[p].box.extend(a_.welded.point(v));
      }
      const ShellId shell = a_.components.shell_of[t];
      if (own_[p].explained) {
        own_[p].explained =
            view_.causes.is_surplus({t}) || flat.contains(t) || view_.causes.is_stray(shell) ||
            view_.causes.is_loose_sheet(shell) || view_.causes.is_internal({t}) ||
            told_.contains(t) ||
            (a_.shells[shell.value].closed && a_.shells[shell.value].volume_sign == 0);
      }
    }
    for (const Patch& patch : patches_.patches) area_ += patch.area;
  }

  [[nodiscard]] std::string name_of(std::uint32_t p) const {
    const auto& surface = patches_.patches[p].surface;
    std::string kind = surface ? std::string(slug(surface->kind)) : "free-form";
    if (patches_.from_file && p < view_.shape.patch_names.size() &&
        !view_.shape.patch_names[p].empty()) {
      return "'" + view_.shape.patch_names[p] + "', " + kind;
    }
    return kind;
  }

  void add(Finding finding, std::vector<Point> points, std::vector<TriangleId> triangles) {
    finding.waits_for.assign(info(finding.kind).waits_for.begin(),
                             info(finding.kind).waits_for.end());
    sink_.add(std::move(finding), points, std::move(triangles));
  }

  // The farthest that two of its vertices are apart, whatever way it is turned; of what is clearly
  // larger than tiny the diagonal of its box.
  [[nodiscard]] double size_of(std::uint32_t p) const {
    constexpr std::size_t kMostCompared = 200;
    const double diagonal = own_[p].box.diagonal();
    if (diagonal > 2 * view_.limits[Limit::tiny_patch] ||
        own_[p].triangles.size() > kMostCompared) {
      return diagonal;
    }
    std::vector<Point> points;
    for (const TriangleId t : own_[p].triangles) append_points(a_, t, points);
    double farthest = 0;
    for (const Point& a : points) {
      for (const Point& b : points) farthest = std::max(farthest, (a - b).norm());
    }
    return farthest;
  }

  void report_small() {
    for (std::uint32_t p = 0; p < own_.size(); ++p) {
      const Patch& patch = patches_.patches[p];
      if (patch.triangles == 0 || own_[p].explained) continue;
      // A whole body of one patch is not small against itself.
      if (patch.area >= 0.5 * area_) continue;
      const double size = size_of(p);
      const auto width = strip_width(patch.area, borders_.length_of[p]);
      Finding finding;
      if (size <= view_.limits[Limit::tiny_patch]) {
        finding.kind = FindingKind::tiny_patch;
        finding.measure = size;
        finding.limit = view_.limits[Limit::tiny_patch];
      } else if (width && *width <= view_.limits[Limit::sliver_patch] &&
                 0.5 * borders_.length_of[p] - *width >= kLongAgainstWidth * *width) {
        finding.kind = FindingKind::sliver_patch;
        finding.measure = *width;
        finding.limit = view_.limits[Limit::sliver_patch];
      } else {
        continue;
      }
      small_[p] = finding.measure;
      finding.count = patch.triangles;
      finding.box = own_[p].box;
      finding.detail = name_of(p);
      if (finding.kind == FindingKind::sliver_patch) {
        finding.detail +=
            ", " + short_text(0.5 * borders_.length_of[p] - finding.measure) + " long";
      }
      Extent extent = extent_of(a_, own_[p].triangles);
      finding.place = extent.place;
      const std::size_t short_ends = count_short_ends(p);
      if (short_ends > 0) finding.cause_of.push_back({FindingKind::short_edge, short_ends});
      add(std::move(finding), std::move(extent.points), own_[p].triangles);
    }
  }

  [[nodiscard]] bool is_short(const BorderChain& chain) const {
    return chain.length <= view_.limits[Limit::short_edge];
  }
  // Patches beside the chain.
  template <class Visit>
  void for_each_side(const BorderChain& chain, const Visit& visit) const {
    const BorderEdge& e = borders_.edges[chain.edges[0]];
    visit(e.first);
    if (e.second != kNoIndex && e.second != e.first) visit(e.second);
  }
  [[nodiscard]] std::size_t count_short_ends(std::uint32_t patch) {
    if (chains_of_.empty()) {
      chains_of_.resize(own_.size());
      for (std::uint32_t c = 0; c < borders_.chains.size(); ++c) {
        for_each_side(borders_.chains[c], [&](std::uint32_t p) {
          if (p != kNoIndex) chains_of_[p].push_back(c);
        });
      }
    }
    return static_cast<std::size_t>(
        std::count_if(chains_of_[patch].begin(), chains_of_[patch].end(),
                      [&](std::uint32_t c) { return is_short(borders_.chains[c]); }));
  }

  // The ends of a patch that is reported as narrow, and the sides of a tiny one, are its symptoms:
  // they end on it, or bound it.
  [[nodiscard]] bool is_explained(const BorderChain& chain) const {
    bool explained = false;
    for (const std::uint32_t i : {chain.edges.front(), chain.edges.back()}) {
      const Edge& e = a_.edges.edge(borders_.edges[i].edge);
      for (const VertexId v : {e.low, e.high}) {
        const auto at = small_at_.find(v.value);
        explained |= at != small_at_.end() && chain.length <= 2 * at->second;
      }
    }
    bool all_explained = true;
    for_each_side(chain, [&](std::uint32_t p) {
      if (p == kNoIndex) return;
      all_explained &= own_[p].explained;
      explained |= small_[p] > 0 && chain.length <= 2 * small_[p];
    });
    return explained || all_explained;
  }

  void report_short_edges() {
    for (const BorderEdge& e : borders_.edges) {
      for (const std::uint32_t p : {e.first, e.second}) {
        if (p == kNoIndex || small_[p] <= 0) continue;
        for (const VertexId v : {a_.edges.edge(e.edge).low, a_.edges.edge(e.edge).high}) {
          double& size = small_at_[v.value];
          size = std::max(size, small_[p]);
        }
      }
    }
    std::unordered_set<std::uint32_t> told;
    for (const BorderChain& chain : borders_.chains) {
      if (!is_short(chain) || is_explained(chain)) continue;
      std::vector<EdgeId> edges;
      for (const std::uint32_t i : chain.edges) edges.push_back(borders_.edges[i].edge);
      for (const EdgeId e : edges) told.insert(e.value);
      // Two rims of a crack: the crack is the cause.
      const bool naked =
          std::all_of(edges.begin(), edges.end(), [&](EdgeId e) { return a_.edges.is_naked(e); });
      if (naked && view_.survey.count(StretchKind::crack) > 0) continue;
      report_edges(edges, chain.length, view_.limits[Limit::short_edge],
                   chain.loop ? "a loop around a patch" : "between corners of patches");
    }
    // Inside patches only what is as good as a point.
    const double near = view_.limits[Limit::near_vertices];
    std::unordered_set<std::uint32_t> flat;
    for (const ZeroAreaTriangle& z : a_.zero_area) flat.insert(z.triangle.value);
    const auto tiny = select_edges(a_.edges, [&](EdgeId e) {
      if (edge_length(a_, e) > near || a_.edges.is_naked(e)) return false;
      for (const EdgeUse use : a_.edges.uses(e)) {
        if (flat.contains(use.triangle().value) || view_.causes.is_surplus(use.triangle()) ||
            view_.causes.is_stray(view_.causes.shell_of(e))) {
          return false;
        }
      }
      return !told.contains(e.value);
    });
    const auto groups = connected_groups(tiny, [&](EdgeId e, const auto& key) {
      key(a_.edges.edge(e).low.value);
      key(a_.edges.edge(e).high.value);
    });
    for (const auto& group : groups) {
      double longest = 0;
      for (const EdgeId e : group) longest = std::max(longest, edge_length(a_, e));
      bool explained = true;
      for (const EdgeId e : group) {
        const std::uint32_t p = patches_.patch_of[a_.edges.uses(e)[0].triangle().value].value;
        explained &= p != kNoIndex && small_[p] > 0;
      }
      if (!explained) report_edges(group, longest, near, "of nearly equal vertices");
    }
  }

  void report_edges(const std::vector<EdgeId>& edges, double length, double limit,
                    std::string detail) {
    Finding finding;
    finding.kind = FindingKind::short_edge;
    finding.count = edges.size();
    finding.measure = length;
    finding.limit = limit;
    finding.detail = std::move(detail);
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    for (const EdgeId e : edges) {
      append_points(a_, e, points);
      for (const EdgeUse use : a_.edges.uses(e)) triangles.push_back(use.triangle());
    }
    finding.box = box_of(points);
    finding.place = finding.box.center();
    add(std::move(finding), std::move(points), std::move(triangles));
  }

  // ---- Corners

  void report_acute_corners() {
    const double limit = view_.limits[Limit::acute_corner];
    std::unordered_map<std::uint64_t, std::pair<std::size_t, double>> at;  // borders, angle
    const auto key = [](std::uint32_t patch, VertexId v) {
      return (std::uint64_t{patch} << 32) | v.value;
    };
    for (const BorderEdge& e : borders_.edges) {
      for (const EdgeUse use : a_.edges.uses(e.edge)) {
        const std::uint32_t p = patches_.patch_of[use.triangle().value].value;
        if (p == kNoIndex) continue;
        ++at[key(p, a_.edges.edge(e.edge).low)].first;
        ++at[key(p, a_.edges.edge(e.edge).high)].first;
      }
    }
    std::unordered_map<std::uint64_t, std::vector<TriangleId>> acute;
    const auto angle_at = [&](TriangleId t, std::size_t c) {
      const Triangle& tri = a_.welded.triangle(t);
      const Vector u = a_.welded.point(tri[(c + 1) % 3]) - a_.welded.point(tri[c]);
      const Vector v = a_.welded.point(tri[(c + 2) % 3]) - a_.welded.point(tri[c]);
      return kDegreesPerRadian * std::atan2(u.cross(v).norm(), u.dot(v));
    };
    // Most corners lie inside of patches.
    std::vector<bool> on_border(a_.welded.points().size());
    for (const BorderEdge& e : borders_.edges) {
      on_border[a_.edges.edge(e.edge).low.value] = true;
      on_border[a_.edges.edge(e.edge).high.value] = true;
    }
    const auto for_each_corner = [&](const auto& visit) {
      for (std::uint32_t t = 0; t < patches_.patch_of.size(); ++t) {
        const std::uint32_t p = patches_.patch_of[t].value;
        if (p == kNoIndex) continue;
        for (std::size_t c = 0; c < 3; ++c) {
          if (!on_border[a_.welded.triangles()[t][c].value]) continue;
          const auto found = at.find(key(p, a_.welded.triangles()[t][c]));
          if (found != at.end()) visit(TriangleId{t}, c, found);
        }
      }
    };
    for_each_corner(
        [&](TriangleId t, std::size_t c, auto found) { found->second.second += angle_at(t, c); });
    for_each_corner([&](TriangleId t, std::size_t, auto found) {
      const auto [borders, angle] = found->second;
      if (borders == 2 && angle <= limit) acute[found->first].push_back(t);
    });
    for (auto& [where, triangles] : acute) {
      const auto patch = static_cast<std::uint32_t>(where >> 32);
      if (own_[patch].explained || small_[patch] > 0) continue;
      const VertexId v{static_cast<std::uint32_t>(where)};
      // Triangles of no height are told as slivers.
      if (at[where].second <= 0) continue;
      Finding finding;
      finding.kind = FindingKind::acute_corner;
      finding.count = triangles.size();
      finding.measure = at[where].second;
      finding.limit = limit;
      finding.place = a_.welded.point(v);
      finding.detail = "of a " + name_of(patch) + " patch";
      std::vector<Point> points = {finding.place};
      for (const TriangleId t : triangles) append_points(a_, t, points);
      finding.box = box_of(points);
      add(std::move(finding), std::move(points), std::move(triangles));
    }
  }

  void report_knife_edges() {
    const double limit = view_.limits[Limit::knife_edge];
    const double cosine = -std::cos(limit / kDegreesPerRadian);
    struct Sharp {
      EdgeId edge;
      double angle;
      bool material;
      std::uint64_t patches;
    };
    std::vector<Sharp> sharp;
    for (const BorderEdge& e : borders_.edges) {
      if (e.second == kNoIndex) continue;
      const auto uses = a_.edges.uses(e.edge);
      if (uses[0].forward() == uses[1].forward()) continue;
      // What crosses, overlaps or is folded is told as that.
      if (told_.contains(uses[0].triangle().value) || told_.contains(uses[1].triangle().value)) {
        continue;
      }
      const Vector n = area_vector(a_, uses[0].triangle()), m = area_vector(a_, uses[1].triangle());
      const double product = n.norm() * m.norm();
      if (!(product > 0) || n.dot(m) > cosine * product) continue;
      if (own_[e.first].explained || own_[e.second].explained || small_[e.first] > 0 ||
          small_[e.second] > 0) {
        continue;
      }
      const Triangle& other = a_.welded.triangle(uses[1].triangle());
      const Vector to_apex = a_.welded.point(other[(uses[1].corner() + 2) % 3]) -
                             a_.welded.point(other[uses[1].corner()]);
      const double angle = 180 - kDegreesPerRadian * std::atan2(n.cross(m).norm(), n.dot(m));
      const auto [low, high] = std::minmax(e.first, e.second);
      sharp.push_back({e.edge, angle, n.dot(to_apex) < 0, (std::uint64_t{low} << 32) | high});
    }
    const auto groups =
        connected_groups(sharp, [&](const Sharp& s, const auto& key) { key(s.patches); });
    for (const auto& group : groups) {
      Finding finding;
      finding.kind = FindingKind::knife_edge;
      finding.count = group.size();
      finding.measure = 180;
      finding.limit = limit;
      std::vector<Point> points;
      std::vector<TriangleId> triangles;
      double length = 0;
      for (const Sharp& s : group) {
        if (s.angle < finding.measure) {
          finding.measure = s.angle;
          const Edge& e = a_.edges.edge(s.edge);
          finding.place = 0.5 * (a_.welded.point(e.low) + a_.welded.point(e.high));
          finding.detail = s.material ? "through the material" : "a notch";
        }
        length += edge_length(a_, s.edge);
        append_points(a_, s.edge, points);
        for (const EdgeUse use : a_.edges.uses(s.edge)) triangles.push_back(use.triangle());
      }
      finding.detail += ", " + short_text(length) + " long";
      finding.box = box_of(points);
      add(std::move(finding), std::move(points), std::move(triangles));
    }
  }

  // ---- Whole patches

  void report_split() {
    if (!patches_.from_file) return;
    const double fit = view_.limits[Limit::patch_fit];
    DisjointSets sets(own_.size());
    std::vector<bool> divided(own_.size());
    const auto plane_of = [&](std::uint32_t p) {
      const auto& s = patches_.patches[p].surface;
      return s && s->kind == PrimitiveKind::plane ? &*s : nullptr;
    };
    for (const BorderEdge& e : borders_.edges) {
      if (e.second == kNoIndex || sets.find(e.first) == sets.find(e.second)) continue;
      const Primitive *p = plane_of(e.first), *q = plane_of(e.second);
      if (p == nullptr || q == nullptr) continue;
      const auto uses = a_.edges.uses(e.edge);
      if (area_vector(a_, uses[0].triangle()).dot(area_vector(a_, uses[1].triangle())) <= 0) {
        continue;
      }
      const auto all_on = [&](const Primitive& plane, std::uint32_t patch) {
        return std::all_of(own_[patch].triangles.begin(), own_[patch].triangles.end(),
                           [&](TriangleId t) {
                             for (const VertexId v : a_.welded.triangle(t).corner) {
                               if (std::fabs(plane.distance(a_.welded.point(v))) > 2 * fit) {
                                 return false;
                               }
                             }
                             return true;
                           });
      };
      if (!all_on(*p, e.second) || !all_on(*q, e.first)) continue;
      sets.unite(e.first, e.second);
      divided[e.first] = divided[e.second] = true;
    }
    std::map<std::uint32_t, std::vector<std::uint32_t>> groups;
    for (std::uint32_t p = 0; p < own_.size(); ++p) {
      if (divided[p]) groups[sets.find(p)].push_back(p);
    }
    for (const auto& [root, group] : groups) {
      Finding finding;
      finding.kind = FindingKind::split_patch;
      finding.count = group.size();
      finding.measure = static_cast<double>(group.size());
      std::vector<Point> points;
      std::vector<TriangleId> triangles;
      Vector sum = Vector::Zero();
      double area = 0;
      for (const std::uint32_t p : group) {
        for (const TriangleId t : own_[p].triangles) {
          append_points(a_, t, points);
          triangles.push_back(t);
          sum += area_of(a_, t) * (centroid_of(a_, t) - points[0]);
          area += area_of(a_, t);
        }
      }
      finding.place = area > 0 ? Point(points[0] + sum / area) : points[0];
      finding.box = box_of(points);
      add(std::move(finding), std::move(points), std::move(triangles));
    }
  }

  void report_runaways() {
    constexpr double kLesserPart = 0.3;
    const double factor = view_.limits[Limit::runaway_face];
    std::vector<bool> on_border(a_.welded.points().size());
    for (const BorderEdge& e : borders_.edges) {
      on_border[a_.edges.edge(e.edge).low.value] = true;
      on_border[a_.edges.edge(e.edge).high.value] = true;
    }
    for (std::uint32_t p = 0; p < own_.size(); ++p) {
      const Patch& patch = patches_.patches[p];
      const Box& border = borders_.box_of[p];
      if (patch.surface || own_[p].explained || border.is_empty()) continue;
      // A body that is one free-form surface but for a lid does not run away.
      if (!patches_.from_file && patch.area > kLesserPart * area_) continue;
      // Out of the ball around its border.
      const Point middle = border.center();
      double radius = 0;
      double farthest = 0;
      Point place = Point::Zero();
      for (const TriangleId t : own_[p].triangles) {
        for (const VertexId v : a_.welded.triangle(t).corner) {
          const double away = (a_.welded.point(v) - middle).norm();
          if (on_border[v.value]) radius = std::max(radius, away);
          if (away > farthest) {
            farthest = away;
            place = a_.welded.point(v);
          }
        }
      }
      farthest -= radius;
      const double limit = factor * 2 * radius;
      if (farthest <= limit) continue;
      Finding finding;
      finding.kind = FindingKind::runaway_face;
      finding.count = patch.triangles;
      finding.measure = farthest;
      finding.limit = limit;
      finding.place = place;
      finding.box = own_[p].box;
      finding.detail = name_of(p);
      std::vector<Point> points;
      for (const TriangleId t : own_[p].triangles) append_points(a_, t, points);
      add(std::move(finding), std::move(points), own_[p].triangles);
    }
  }

  const PartView& view_;
  FindingSink& sink_;
  const Anatomy& a_;
  const Patches& patches_;
  PatchBorders borders_;
  std::vector<double> small_;  // by patch: its width or size if it is reported, else 0
  std::unordered_map<std::uint32_t, double> small_at_;  // by vertex of such a patch's border
  std::vector<Own> own_;
  std::unordered_set<std::uint32_t> told_;  // triangles of crossing pairs, and folded ones
  std::vector<std::vector<std::uint32_t>> chains_of_;  // by patch
  double area_ = 0;
};

}  // namespace

void check_patches(const PartView& view, FindingSink& sink) {
  if (view.patches) PatchChecks(view, sink).run();
}

}  // namespace aguja
