// crack, gap, opening, sheet-border: what naked edges mean, where no other finding explains them.

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <optional>
#include <unordered_map>
#include <unordered_set>

#include <Eigen/Geometry>

#include "base/short_text.h"
#include "inspect/checks.h"
#include "inspect/grouping.h"
#include "inspect/rim_evidence.h"

namespace aguja {
namespace {

// ---- Cracks and gaps.

// The two sides lie over each other, all along.
bool is_lap(const PartView& view, const Stretch& stretch) {
  return std::all_of(stretch.pairs.begin(), stretch.pairs.end(), [&](std::uint32_t p) {
    const FacingPair& pair = view.survey.pairing.pairs[p];
    return view.causes
        .shingle_of(view.survey.pairing.naked[pair.first.naked].triangle,
                    view.survey.pairing.naked[pair.second.naked].triangle)
        .has_value();
  });
}

void report_stretches(const PartView& view, FindingSink& sink) {
  const RimSurvey& survey = view.survey;
  const Anatomy& a = view.anatomy;
  for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
    if (survey.kind[s] == StretchKind::other) continue;
    const Stretch& stretch = survey.stretches[s];
    std::unordered_set<std::uint32_t> naked;
    bool explained = true;
    for (const std::uint32_t p : stretch.pairs) {
      for (const RimPiece& piece :
           {survey.pairing.pairs[p].first, survey.pairing.pairs[p].second}) {
        naked.insert(piece.naked);
        const NakedEdge& e = survey.pairing.naked[piece.naked];
        explained &= view.causes.is_surplus(e.triangle) || view.causes.is_stray(e.component);
      }
    }
    explained = explained || (survey.kind[s] == StretchKind::gap && is_lap(view, stretch));
    if (explained) continue;
    Finding finding;
    finding.kind = survey.kind[s] == StretchKind::crack ? FindingKind::crack : FindingKind::gap;
    finding.count = naked.size();
    finding.measure = stretch.largest_width;
    finding.limit = survey.tolerance;
    finding.widths = {stretch.least_width, stretch.median_width, stretch.largest_width,
                      stretch.length, stretch.hanging};
    finding.place = stretch.place;
    finding.box = stretch.box;
    finding.detail = short_text(stretch.length) + " long, median " +
                     short_text(stretch.median_width) + ", least " +
                     short_text(stretch.least_width);
    if (stretch.hanging > 0) {
      finding.detail += ", " + std::to_string(stretch.hanging) + " hanging";
      finding.cause_of.push_back({FindingKind::hanging_vertex, stretch.hanging});
    }
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    for (const std::uint32_t n : naked) {
      append_points(a, survey.pairing.naked[n].edge, points);
      triangles.push_back(survey.pairing.naked[n].triangle);
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

// ---- What is left open once the cracks are thought joined.

// What the rims of the joined surface bound.
class Left {
 public:
  explicit Left(const PartView& view)
      : view_(view),
        surface_(view.joined),
        points_(surface_.points()),
        triangles_(surface_.triangles()) {
    if (surface_.has_cracks()) map_rims();
    mark_gaps();
  }

  [[nodiscard]] const Rims& rims() const { return surface_.rims(); }
  [[nodiscard]] std::span<const Point> points() const { return points_; }
  [[nodiscard]] std::span<const Triangle> triangles() const { return triangles_; }
  [[nodiscard]] std::size_t component_of(const Rim& rim) const {
    return component(surface_.edges().uses(rim.edges[0])[0].triangle().value);
  }
  /// Triangle of the mesh as read.
  [[nodiscard]] TriangleId triangle_of(EdgeId e) const {
    return surface_.parent(surface_.edges().uses(e)[0].triangle());
  }

  [[nodiscard]] bool is_explained(const Rim& rim) const {
    if (!surface_.has_cracks()) return view_.causes.is_explained(rim);
    // A rim that no crack touches is one of the rims as read.
    if (const auto original = original_of(rim)) {
      return view_.causes.is_explained(view_.anatomy.rims[*original]);
    }
    return std::all_of(rim.edges.begin(), rim.edges.end(), [&](EdgeId e) {
      const TriangleId t = triangle_of(e);
      const ShellId shell = view_.anatomy.components.shell_of[t.value];
      return view_.causes.is_surplus(t) || view_.causes.is_internal(t) ||
             view_.causes.is_stray(shell) || view_.causes.is_loose_sheet(shell);
    });
  }

  /// Is nearly all of it the sides of gaps?
  [[nodiscard]] bool is_gap(const Rim& rim) const {
    double all = 0;
    double gap = 0;
    for (std::size_t i = 0; i < rim.edges.size(); ++i) {
      const double step =
          (points_[rim.vertices[i + 1].value] - points_[rim.vertices[i].value]).norm();
      all += step;
      const auto at = gap_share_.find(triangle_of(rim.edges[i]).value);
      if (at != gap_share_.end()) gap += step * std::min(1.0, at->second);
    }
    return gap >= 0.8 * all;
  }

  /// Does the component enclose next to nothing once its rims are capped?
  [[nodiscard]] bool is_sheet(std::size_t component) const {
    return aguja::is_sheet(view_.material->bodies[component], view_.limits[Limit::sheet]);
  }

  [[nodiscard]] RimShape shape_of(const Rim& rim) const { return shape_of_rim(surface_, rim); }
  /// Is it a sheet that ends a wall which is missing?
  [[nodiscard]] bool ends_a_wall(const Rim& rim) const {
    return view_.causes.ends_a_wall(
        view_.anatomy.components.shell_of[triangle_of(rim.edges[0]).value]);
  }

  /// Is the component one smooth piece, and so little of all that it can hardly be a body of its own?
  [[nodiscard]] bool is_loose_patch(std::size_t component) {
    constexpr double kLittle = 0.2;
    const auto& bodies = view_.material->bodies;
    if (rough_.empty()) {
      find_rough();
      for (const MaterialBody& body : bodies) area_ += body.area;
    }
    return !rough_[component] && bodies[component].area < kLittle * area_;
  }

  /// The mean direction from the rim into the surface, weighted by length.
  [[nodiscard]] Vector inward(const Rim& rim) const {
    Vector sum = Vector::Zero();
    for (const EdgeId e : rim.edges) {
      const EdgeUse use = surface_.edges().uses(e)[0];
      const Triangle& t = triangles_[use.triangle().value];
      const Point& a = points_[t[use.corner()].value];
      const Vector along = points_[t[(use.corner() + 1) % 3].value] - a;
      const Vector to_apex = points_[t[(use.corner() + 2) % 3].value] - a;
      const Vector across = along.cross(to_apex).cross(along);
      if (across.norm() > 0) sum += along.norm() * across.normalized();
    }
    return sum;
  }

 private:
  [[nodiscard]] std::size_t component(std::size_t t) const {
    return surface_.components().shell_of[t].value;
  }

  void map_rims() {
    const Anatomy& a = view_.anatomy;
    for (std::size_t i = 0; i < a.rims.size(); ++i) {
      for (const EdgeId e : a.rims[i].edges) rim_of_edge_[e.value] = i;
    }
  }
  [[nodiscard]] std::optional<std::size_t> original_of(const Rim& rim) const {
    const Zipped& zipped = *view_.survey.joined;
    for (const VertexId v : rim.vertices) {
      if (zipped.knot_of[v.value] != kNoIndex) return std::nullopt;
    }
    const EdgeUse use = surface_.edges().uses(rim.edges[0])[0];
    const Triangle& now = triangles_[use.triangle().value];
    const Triangle& old = view_.anatomy.welded.triangle(surface_.parent(use.triangle()));
    for (std::size_t c = 0; c < 3; ++c) {
      if (zipped.new_vertex[old[c].value] != now[use.corner()]) continue;
      const auto e = view_.anatomy.edges.find(old[c], old[(c + 1) % 3]);
      const auto at = e ? rim_of_edge_.find(e->value) : rim_of_edge_.end();
      if (at != rim_of_edge_.end()) return at->second;
    }
    return std::nullopt;
  }

  // Components with a sharp edge inside.
  void find_rough() {
    constexpr double kSmoothPatch = 0.8660254037844387;  // cos 30 degrees
    rough_.resize(view_.material->bodies.size());
    const auto normal = [&](TriangleId id) -> Vector {
      const Triangle& t = triangles_[id.value];
      return (points_[t[1].value] - points_[t[0].value])
          .cross(points_[t[2].value] - points_[t[0].value]);
    };
    for (std::uint32_t e = 0; e < surface_.edges().size(); ++e) {
      const auto uses = surface_.edges().uses({e});
      if (uses.size() != 2) continue;
      const Vector a = normal(uses[0].triangle()), b = normal(uses[1].triangle());
      if (a.dot(b) < kSmoothPatch * a.norm() * b.norm()) {
        rough_[component(uses[0].triangle().value)] = true;
      }
    }
  }

  // By triangle: the part of its naked edge that is a gap's side.
  void mark_gaps() {
    const RimSurvey& survey = view_.survey;
    for (std::size_t s = 0; s < survey.stretches.size(); ++s) {
      if (survey.kind[s] != StretchKind::gap) continue;
      for (const std::uint32_t p : survey.stretches[s].pairs) {
        for (const RimPiece& piece :
             {survey.pairing.pairs[p].first, survey.pairing.pairs[p].second}) {
          gap_share_[survey.pairing.naked[piece.naked].triangle.value] += piece.end - piece.begin;
        }
      }
    }
  }

  const PartView& view_;
  const JoinedSurface& surface_;
  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  std::unordered_map<std::uint32_t, std::size_t> rim_of_edge_;
  std::unordered_map<std::uint32_t, double> gap_share_;
  std::vector<bool> rough_;  // by component
  double area_ = 0;          // of all; known with these
};

// ---- Two loops with a band missing between them.

struct SheetLoop {
  std::size_t rim;
  Point center;
  Vector inward;
  double size;  // diagonal of its box
};

// The distance between two loops that face each other all along, if they do.
std::optional<double> band_between(const Left& left, const SheetLoop& a, const SheetLoop& b) {
  const Vector offset = b.center - a.center;
  const double size = std::min(a.size, b.size);
  if (std::max(a.size, b.size) > 2 * size || offset.norm() > 0.5 * size) return std::nullopt;
  // The surface continues away from the other loop, on both sides.
  if (a.inward.dot(offset) >= 0 || b.inward.dot(offset) <= 0) return std::nullopt;
  const Rim to = left.rims()[b.rim];
  double farthest = 0;
  for (const VertexId v : left.rims()[a.rim].vertices) {
    double nearest = size;
    for (const VertexId w : to.vertices) {
      nearest = std::min(nearest, (left.points()[v.value] - left.points()[w.value]).norm());
    }
    farthest = std::max(farthest, nearest);
  }
  if (farthest > 2 * offset.norm()) return std::nullopt;
  return offset.norm();
}

// Rims in one plane, one within the other, bound one face with holes.
void mark_islands(std::vector<RimShape>& rims) {
  constexpr double kOnePlane = 0.01;  // of the larger one's radius
  constexpr std::size_t kMostOuter = 100;
  std::vector<std::size_t> by_size(rims.size());
  std::iota(by_size.begin(), by_size.end(), std::size_t{0});
  std::stable_sort(by_size.begin(), by_size.end(),
                   [&](std::size_t a, std::size_t b) { return rims[a].radius > rims[b].radius; });
  for (std::size_t i = 0; i < std::min(kMostOuter, rims.size()); ++i) {
    RimShape& outer = rims[by_size[i]];
    for (std::size_t j = i + 1; j < rims.size(); ++j) {
      RimShape& inner = rims[by_size[j]];
      const Vector between = inner.middle - outer.middle;
      if (between.norm() > outer.radius ||
          std::fabs(between.dot(outer.normal)) > kOnePlane * outer.radius ||
          std::fabs(inner.normal.dot(outer.normal)) < 1 - kOnePlane) {
        continue;
      }
      outer.has_islands = inner.has_islands = true;
    }
  }
}

constexpr std::size_t kNoShape = std::numeric_limits<std::size_t>::max();
constexpr std::size_t kMostLoopsForBands = 300;
constexpr std::size_t kLongestLoopForBands = 20000;

void report_openings(const PartView& view, FindingSink& sink) {
  Left left(view);
  std::vector<SheetLoop> loops;
  for (std::size_t i = 0; i < left.rims().size(); ++i) {
    const Rim rim = left.rims()[i];
    if (left.is_explained(rim) || view.causes.is_of_shingle(static_cast<std::uint32_t>(i)) ||
        left.is_gap(rim)) {
      continue;
    }
    loops.push_back({i, center_of(rim, left.points()), left.inward(rim),
                     box_of(rim, left.points()).diagonal()});
  }
  // A band: the second loop is told with the first.
  std::vector<std::optional<std::size_t>> partner(loops.size());
  std::vector<double> apart(loops.size());
  if (loops.size() <= kMostLoopsForBands) {
    for (std::size_t i = 0; i < loops.size(); ++i) {
      for (std::size_t j = i + 1; j < loops.size() && !partner[i]; ++j) {
        const Rim a = left.rims()[loops[i].rim], b = left.rims()[loops[j].rim];
        if (partner[j] || !a.is_loop() || !b.is_loop()) continue;
        if (a.edges.size() > kLongestLoopForBands || b.edges.size() > kLongestLoopForBands)
          continue;
        const auto distance = band_between(left, loops[i], loops[j]);
        if (!distance) continue;
        partner[i] = j, partner[j] = i;
        apart[i] = *distance;
      }
    }
  }
  // What speaks against a flat cap; a rim that is none of a whole opening is not asked.
  std::vector<RimShape> shapes;
  std::vector<std::size_t> shape_of(loops.size(), kNoShape);
  for (std::size_t i = 0; i < loops.size(); ++i) {
    const Rim rim = left.rims()[loops[i].rim];
    if (partner[i] || !rim.is_loop() ||
        (left.is_sheet(left.component_of(rim)) && !left.ends_a_wall(rim))) {
      continue;
    }
    shape_of[i] = shapes.size();
    shapes.push_back(left.shape_of(rim));
  }
  mark_islands(shapes);
  Box box;
  for (const Triangle& t : left.triangles()) {
    for (const VertexId v : t.corner) box.extend(left.points()[v.value]);
  }
  const std::vector<RimVerdict> verdicts = judge_rims(shapes, box.diagonal());
  // Rims that meet other rims in a point begin and end there.
  std::unordered_map<std::uint32_t, std::size_t> ends;
  for (std::size_t i = 0; i < left.rims().size(); ++i) {
    ++ends[left.rims()[i].vertices.front().value];
    ++ends[left.rims()[i].vertices.back().value];
  }
  for (std::size_t i = 0; i < loops.size(); ++i) {
    if (partner[i] && *partner[i] < i) continue;
    Finding finding;
    const std::size_t component = left.component_of(left.rims()[loops[i].rim]);
    // What fits another rim is an end of a body, not a patch.
    const bool fits =
        shape_of[i] != kNoShape && verdicts[shape_of[i]].doubt == CapDoubt::fits_another;
    finding.kind =
        !partner[i] && !fits && (left.is_sheet(component) || left.is_loose_patch(component))
            ? FindingKind::sheet_border
            : FindingKind::opening;
    finding.place = loops[i].center;
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    const auto add = [&](const SheetLoop& loop) {
      const Rim rim = left.rims()[loop.rim];
      finding.count += rim.edges.size();
      finding.measure += length(rim, left.points());
      finding.box.extend(box_of(rim, left.points()));
      for (std::size_t k = 0; k < rim.edges.size(); ++k) {
        points.push_back(left.points()[rim.vertices[k].value]);
        points.push_back(left.points()[rim.vertices[k + 1].value]);
        triangles.push_back(left.triangle_of(rim.edges[k]));
      }
    };
    add(loops[i]);
    const Rim rim = left.rims()[loops[i].rim];
    finding.detail = rim.is_loop() ? "closed loop" : "open run between branching vertices";
    if (rim.is_loop() && ends[rim.vertices.front().value] > 2) finding.detail += ", pinched";
    if (shape_of[i] != kNoShape && verdicts[shape_of[i]].doubt != CapDoubt::none) {
      finding.detail += "; " + verdicts[shape_of[i]].why;
    }
    if (partner[i]) {
      add(loops[*partner[i]]);
      finding.place = 0.5 * (loops[i].center + loops[*partner[i]].center);
      finding.detail = "a band between two loops " + short_text(apart[i]) + " apart";
    }
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

// ---- Borders that overlap.

void report_shingles(const PartView& view, FindingSink& sink) {
  const JoinedSurface& surface = view.joined;
  if (view.causes.shingles().empty()) return;
  std::vector<std::map<Contact, std::size_t>> contacts(view.causes.shingles().size());
  for (const TrianglePair& pair : view.anatomy.crossings) {
    if (const auto i = view.causes.shingle_of(pair.first, pair.second)) {
      ++contacts[*i][pair.contact];
    }
  }
  for (std::size_t i = 0; i < contacts.size(); ++i) {
    const Shingle& shingle = view.causes.shingles()[i];
    Finding finding;
    finding.kind = FindingKind::overlap;
    finding.measure = shingle.area;
    std::vector<Point> points;
    std::vector<TriangleId> triangles;
    std::size_t naked = 0;
    double all = 0;
    for (const std::uint32_t r : shingle.rims) {
      const Rim rim = surface.rims()[r];
      naked += rim.edges.size();
      finding.box.extend(box_of(rim, surface.points()));
      all += length(rim, surface.points());
      for (std::size_t k = 0; k < rim.edges.size(); ++k) {
        points.push_back(surface.points()[rim.vertices[k].value]);
        points.push_back(surface.points()[rim.vertices[k + 1].value]);
        triangles.push_back(surface.parent(surface.edges().uses(rim.edges[k])[0].triangle()));
      }
    }
    finding.place = shingle.middle;
    for (const TriangleId t : shingle.triangles) triangles.push_back(surface.parent(t));
    finding.count = shingle.triangles.size();
    finding.cause_of.push_back({FindingKind::opening, naked});
    for (const auto& [contact, count] : contacts[i]) {
      finding.cause_of.push_back({contact_kind(contact), count});
    }
    finding.detail = "borders that run on over each other for " + short_text(all) +
                     (shingle.apart > 0 ? ", " + short_text(shingle.apart) + " apart" : "");
    sink.add(std::move(finding), points, std::move(triangles));
  }
}

}  // namespace

void check_rims(const PartView& view, FindingSink& sink) {
  if (view.anatomy.rims.size() == 0) return;
  report_stretches(view, sink);
  // The rims of a part that is meant to be a sheet are its borders.
  if (view.intent == Intent::solid) report_openings(view, sink);
  report_shingles(view, sink);
}

}  // namespace aguja
