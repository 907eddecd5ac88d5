#include "aguja/solid/material_boundary.h"

#include <algorithm>
#include <cmath>

#include <Eigen/Geometry>

#include "aguja/base/error.h"
#include "aguja/geometry/predicates.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/duplicates.h"
#include "aguja/solid/open_regions.h"
#include "mesh/snap_together.h"

namespace aguja {
namespace {

// Smaller models are rounded as if they were as large.
constexpr double kLeastModel = 0x1p-900;

// What is left of an arrangement, rounded.
struct KeptPieces {
  Mesh mesh;
  MeshMaps maps;
  std::vector<bool> is_made;  // by triangle: it has a point that was made, or moved
  double moved = 0;
  std::size_t points = 0;
};

// The side that a piece shows outward: its front, its back, or none if it is no boundary.
enum class BoundaryFaces : std::uint8_t { front, back, none };

class PieceExtraction {
 public:
  PieceExtraction(const Mesh& mesh, const Welded& welded, const Arrangement& arrangement,
                  const std::vector<BoundaryFaces>& faces, bool to_float)
      : mesh_(mesh), a_(arrangement), to_float_(to_float) {
    given_ = static_cast<std::uint32_t>(welded.points().size());
    now_.assign(a_.points().size(), kNoIndex);
    for (std::size_t i = 0; i < faces.size(); ++i) {
      if (faces[i] == BoundaryFaces::none) continue;
      for (const ExactPointId p : a_.pieces()[i]) now_[p.value] = 0;
    }
    number_points(welded);
    for (std::size_t i = 0; i < faces.size(); ++i) {
      if (faces[i] != BoundaryFaces::none) add_piece(i, faces[i] == BoundaryFaces::back);
    }
    out_.maps.vertex_now.resize(mesh.points.size());
    for (std::uint32_t v = 0; v < mesh.points.size(); ++v) {
      out_.maps.vertex_now[v] = {now_[welded.vertex({v}).value]};
    }
  }
  [[nodiscard]] KeptPieces take() { return std::move(out_); }

 private:
  void number_points(const Welded& welded) {
    std::uint32_t count = 0;
    for (const std::uint32_t n : now_) count += n == 0 ? 1 : 0;
    SharedArray<Point> points;
    points.reserve(count);
    for (std::uint32_t p = 0; p < now_.size(); ++p) {
      if (now_[p] == kNoIndex) continue;
      now_[p] = static_cast<std::uint32_t>(points.size());
      if (p < given_) {
        points.push_back(welded.points()[p]);
        continue;
      }
      // The exact point is within an ulp of what is called so here.
      const Point exact = a_.points().approximation({p});
      const Point rounded = to_float_ ? rounded_to_float(exact) : exact;
      const double largest = exact.cwiseAbs().maxCoeff();
      const double ulp = std::nextafter(largest, HUGE_VAL) - largest;
      out_.moved = std::max(out_.moved, (rounded - exact).norm() + 2 * ulp);
      ++out_.points;
      points.push_back(rounded);
    }
    out_.mesh.points = std::move(points);
  }
  void add_piece(std::size_t i, bool turn_over) {
    const Arrangement::Piece& piece = a_.pieces()[i];
    Triangle t{{{now_[piece[0].value]}, {now_[piece[1].value]}, {now_[piece[2].value]}}};
    if (turn_over) std::swap(t[1], t[2]);
    bool made = false;
    for (const ExactPointId p : piece) made |= p.value >= given_;
    // The parent that faces as the piece does now tells its patch.
    const auto parents = a_.parents(i);
    std::size_t first = 0;
    while (first < parents.size() && parents[first].opposite() != turn_over) ++first;
    if (first == parents.size()) first = 0;
    const TriangleId id{static_cast<std::uint32_t>(out_.mesh.triangles.size())};
    out_.mesh.triangles.push_back(t);
    out_.is_made.push_back(made);
    out_.maps.parent.push_back(parents[first].triangle());
    for (std::size_t k = 0; k < parents.size(); ++k) {
      if (k != first) out_.maps.further_parents.push_back({id, parents[k].triangle()});
    }
    if (!mesh_.patch_of.empty()) {
      out_.mesh.patch_of.push_back(mesh_.patch_of[parents[first].triangle().value]);
    }
  }

  const Mesh& mesh_;
  const Arrangement& a_;
  bool to_float_;
  std::uint32_t given_ = 0;
  std::vector<std::uint32_t> now_;
  KeptPieces out_;
};

bool any_open(const WindingCells& cells) {
  return std::find(cells.is_open.begin(), cells.is_open.end(), true) != cells.is_open.end();
}

// Pieces that are not left, beside triangles of which nothing is.
void list_what_goes(const DividedSpace& space, const std::vector<BoundaryFaces>& faces,
                    const MeshMaps* before, MaterialBoundary& out) {
  const Arrangement& a = space.arrangement();
  const auto given = [&](TriangleId t) { return before == nullptr ? t : before->parent[t.value]; };
  std::size_t count = space.mesh().triangles.size();
  if (before != nullptr) {
    for (const TriangleId t : before->parent) count = std::max<std::size_t>(count, t.value + 1ULL);
  }
  std::vector<bool> is_left(count, false), goes(count, false);
  for (std::size_t i = 0; i < faces.size(); ++i) {
    for (const PieceParent p : a.parents(i)) {
      (faces[i] == BoundaryFaces::none ? goes : is_left)[given(p.triangle()).value] = true;
    }
  }
  for (std::uint32_t t = 0; t < count; ++t) {
    if (goes[t] && !is_left[t]) out.given_up.push_back({t});
  }
  for (std::size_t i = 0; i < faces.size(); ++i) {
    // Of several that lie on each other one is left at most.
    const auto parents = a.parents(i);
    const auto has_rest = [&](const PieceParent& p) { return is_left[given(p.triangle()).value]; };
    auto layers = std::count_if(parents.begin(), parents.end(), has_rest);
    if (faces[i] != BoundaryFaces::none) --layers;
    for (; layers > 0; --layers) {
      Triangle t{};
      for (std::size_t k = 0; k < 3; ++k) {
        t[k] = {static_cast<std::uint32_t>(out.cut_off.points.size())};
        out.cut_off.points.push_back(a.points().approximation(a.pieces()[i][k]));
      }
      out.cut_off.triangles.push_back(t);
      const auto of = std::find_if(parents.begin(), parents.end(), has_rest);
      out.cut_off_of.push_back(given(of->triangle()));
      out.cut_off_is_copy.push_back(faces[i] != BoundaryFaces::none);
    }
  }
}

// Which sides of the pieces of an arrangement bound material.
class FaceRule {
 public:
  virtual ~FaceRule() = default;
  [[nodiscard]] virtual std::vector<BoundaryFaces> of_space(const DividedSpace& space) const = 0;
  /// Of what is left once it was applied, with all in one label, where rounding makes things cross.
  [[nodiscard]] virtual std::vector<BoundaryFaces> of_rest(const Arrangement& arrangement,
                                                           const WindingCells& cells) const = 0;
  [[nodiscard]] virtual bool holds_for(const WindingCells& cells) const = 0;
};

std::vector<BoundaryFaces> faces_by(const WindingCells& cells, const MaterialRule& rule) {
  std::vector<bool> is_material(cells.count());
  for (std::uint32_t c = 0; c < cells.count(); ++c) is_material[c] = rule(cells.of(c));
  std::vector<BoundaryFaces> faces(cells.pieces.size());
  for (std::size_t i = 0; i < faces.size(); ++i) {
    const bool front = is_material[cells.front(i)], back = is_material[cells.back(i)];
    faces[i] = front == back ? BoundaryFaces::none
               : front       ? BoundaryFaces::back
                             : BoundaryFaces::front;
  }
  return faces;
}

class ByCells final : public FaceRule {
 public:
  explicit ByCells(const MaterialRule& rule) : rule_(rule) {}
  [[nodiscard]] std::vector<BoundaryFaces> of_space(const DividedSpace& space) const override {
    return faces_by(space.cells(), rule_);
  }
  [[nodiscard]] std::vector<BoundaryFaces> of_rest(const Arrangement& /*arrangement*/,
                                                   const WindingCells& cells) const override {
    return faces_by(cells, is_in_union);
  }
  [[nodiscard]] bool holds_for(const WindingCells& cells) const override {
    return !any_open(cells);
  }

 private:
  const MaterialRule& rule_;
};

class ByRegions final : public FaceRule {
 public:
  [[nodiscard]] std::vector<BoundaryFaces> of_space(const DividedSpace& space) const override {
    return of_rest(space.arrangement(), space.cells());
  }
  [[nodiscard]] std::vector<BoundaryFaces> of_rest(const Arrangement& arrangement,
                                                   const WindingCells& cells) const override {
    const OpenRegions judged = judge_open_regions(arrangement, cells);
    std::vector<BoundaryFaces> faces(judged.of_piece.size(), BoundaryFaces::none);
    for (std::size_t i = 0; i < faces.size(); ++i) {
      const OpenRegion& region = judged.regions[judged.of_piece[i]];
      if (!region.remains) continue;
      faces[i] = region.layers < 0 ? BoundaryFaces::back : BoundaryFaces::front;
    }
    return faces;
  }
  [[nodiscard]] bool holds_for(const WindingCells& /*cells*/) const override { return true; }
};

// Rounds until nothing crosses. What is nearer than rounding can tell apart is made to meet first:
// at first only where crossings are left, then, from the start again and farther, wherever anything
// met.
class BoundaryRounding {
 public:
  BoundaryRounding(const DividedSpace& space, const FaceRule& rule, const RoundingOptions& options,
                   Progress* progress)
      : space_(space), rule_(rule), options_(options), progress_(progress) {
    double largest = 0;
    for (const Point& p : space.welded().points()) {
      largest = std::max(largest, p.cwiseAbs().maxCoeff());
    }
    const int bits = options.to_float ? 23 : 52;
    finest_ = std::exp2(std::ceil(std::log2(std::max(largest, kLeastModel))) - bits);
  }

  [[nodiscard]] MaterialBoundary run() {
    start(space_, nullptr, 0);
    // What has given points alone is as exact as the arrangement.
    bool is_settled = out_.rounding.points == 0 || settle(0);
    if (out_.rounding.points == 0) out_.mesh.points_are_distinct = true;
    for (int attempt = 1; !is_settled && attempt <= kMostAttempts; ++attempt) {
      const double reach = reach_of(attempt);
      if (reach > options_.most_moved) break;
      is_settled = start_again(reach) && settle(attempt);
    }
    if (!is_settled) out_.rounding.crossing = std::max<std::size_t>(out_.rounding.crossing, 1);
    out_.pairs = space_.pairs().size();
    return std::move(out_);
  }

 private:
  static constexpr int kMostAttempts = 5;
  static constexpr int kRoundsOfAttempt = 5;
  // Nearer than this many units of the last place, rounding may exchange things.
  static constexpr double kNear = 8;
  static constexpr double kFartherEachTime = 32;

  [[nodiscard]] double reach_of(int attempt) const {
    return attempt == 0 ? 0 : finest_ * kNear * std::pow(kFartherEachTime, attempt - 1);
  }

  void start(const DividedSpace& space, const SnappedMesh* snapped, double moved) {
    tell();
    const std::vector<BoundaryFaces> faces = rule_.of_space(space);
    KeptPieces kept =
        PieceExtraction(space.mesh(), space.welded(), space.arrangement(), faces, options_.to_float)
            .take();
    const int rounds = out_.rounding.rounds + 1;
    out_ = {};
    list_what_goes(space, faces, snapped == nullptr ? nullptr : &snapped->maps, out_);
    out_.rounding.rounds = rounds;
    out_.rounding.moved = moved;
    accept(std::move(kept), snapped == nullptr ? nullptr : &snapped->maps);
  }
  [[nodiscard]] bool start_again(double reach) {
    const Mesh whole = welded_mesh(space_.mesh(), space_.welded());
    std::vector<bool> wanted(whole.triangles.size(), false);
    for (const TrianglePair& p : space_.pairs()) {
      wanted[p.first.value] = wanted[p.second.value] = true;
    }
    std::optional<SnappedMesh> snapped = snap_together(whole, wanted, reach);
    if (!snapped) return false;
    std::vector<std::uint32_t> label_of;
    if (!space_.label_of().empty()) {
      for (const TriangleId t : snapped->maps.parent)
        label_of.push_back(space_.label_of()[t.value]);
    }
    // From the vertices of the mesh that was given.
    std::vector<VertexId> now(space_.mesh().points.size());
    for (std::uint32_t v = 0; v < now.size(); ++v) {
      now[v] = snapped->maps.vertex_now[space_.welded().vertex({v}).value];
    }
    snapped->maps.vertex_now = std::move(now);
    if (options_.to_float) round_to_float(snapped->mesh);
    const DividedSpace space(snapped->mesh, label_of, space_.cells().labels, progress_);
    if (!rule_.holds_for(space.cells())) return false;
    start(space, &*snapped, snapped->moved);
    return true;
  }
  [[nodiscard]] static Mesh welded_mesh(const Mesh& mesh, const Welded& welded) {
    Mesh whole;
    whole.points.assign(welded.points().begin(), welded.points().end());
    whole.triangles.assign(welded.triangles().begin(), welded.triangles().end());
    whole.patch_of = mesh.patch_of;
    whole.points_are_distinct = true;
    return whole;
  }

  // What became of `out_`'s mesh, or of the mesh given if `before` is from there.
  void accept(KeptPieces kept, const MeshMaps* before) {
    out_.mesh = std::move(kept.mesh);
    out_.maps = before == nullptr ? std::move(kept.maps) : composed_maps(*before, kept.maps);
    is_made_ = std::move(kept.is_made);
    out_.rounding.moved += kept.moved;
    out_.rounding.points += kept.points;
  }

  // True if nothing crosses any more.
  bool settle(int attempt) {
    std::size_t before = 0;
    for (int round = 0; round < kRoundsOfAttempt; ++round) {
      tell();
      Mesh mesh = std::move(out_.mesh);
      Welded welded(mesh);
      const std::vector<TrianglePair> pairs = find_crossings_of(welded, is_made_);
      out_.rounding.crossing = pairs.size();
      if (pairs.empty() && is_clean(mesh, welded)) {
        out_.mesh = std::move(mesh);
        out_.mesh.points_are_distinct = true;
        return true;
      }
      const bool grows =
          are_too_many(pairs) || (round > 0 && pairs.size() > before + before / 2 + kFewPairs / 10);
      if (grows || round + 1 == kRoundsOfAttempt) {
        out_.mesh = std::move(mesh);
        return false;
      }
      before = pairs.size();
      const double reach = std::max(reach_of(attempt), finest_ * kNear * std::pow(2, round));
      if (!cut_again(welded_mesh(mesh, welded), mesh, welded, pairs, reach)) {
        out_.mesh = std::move(mesh);
        return false;
      }
    }
    return false;
  }
  // Points that fell together, triangles that lost their area and copies are no pairs.
  [[nodiscard]] bool is_clean(const Mesh& mesh, const Welded& welded) const {
    if (welded.points().size() != mesh.points.size()) return false;
    for (std::uint32_t t = 0; t < is_made_.size(); ++t) {
      const Triangle& v = welded.triangle({t});
      if (is_made_[t] && is_collinear(welded.point(v[0]), welded.point(v[1]), welded.point(v[2]))) {
        return false;
      }
    }
    return find_duplicates(welded.triangles(), welded.points().size()).empty();
  }
  static constexpr std::size_t kFewPairs = 200;
  [[nodiscard]] bool are_too_many(std::span<const TrianglePair> pairs) const {
    return pairs.size() > space_.pairs().size() + kFewPairs;
  }

  void take_over(const Mesh& mesh, const Welded& welded, const Arrangement& arrangement,
                 const std::vector<BoundaryFaces>& faces) {
    const std::vector<bool> made_before = std::move(is_made_);
    KeptPieces kept = PieceExtraction(mesh, welded, arrangement, faces, options_.to_float).take();
    // Rounded triangles stay under watch.
    for (std::size_t t = 0; t < kept.is_made.size(); ++t) {
      if (made_before[kept.maps.parent[t].value]) kept.is_made[t] = true;
    }
    const MeshMaps before = std::move(out_.maps);
    accept(std::move(kept), &before);
  }
  // What still crosses is made to meet, and cut.
  [[nodiscard]] bool cut_again(const Mesh& whole, const Mesh& mesh, const Welded& welded,
                               std::span<const TrianglePair> pairs, double reach) {
    ++out_.rounding.rounds;
    std::vector<bool> wanted(whole.triangles.size(), false);
    for (const TrianglePair& p : pairs) wanted[p.first.value] = wanted[p.second.value] = true;
    std::optional<SnappedMesh> found = snap_together(whole, wanted, reach);
    if (!found) return false;
    SnappedMesh snapped = std::move(*found);
    std::vector<VertexId> now(mesh.points.size());
    for (std::uint32_t v = 0; v < now.size(); ++v) {
      now[v] = snapped.maps.vertex_now[welded.vertex({v}).value];
    }
    snapped.maps.vertex_now = std::move(now);
    out_.rounding.moved += snapped.moved;
    out_.maps = composed_maps(out_.maps, snapped.maps);
    std::vector<bool> made(snapped.mesh.triangles.size());
    for (std::size_t t = 0; t < made.size(); ++t) {
      const std::uint32_t parent = snapped.maps.parent[t].value;
      made[t] = is_made_[parent] || wanted[parent] || is_changed(whole, parent, snapped.mesh, t);
    }
    is_made_ = std::move(made);
    if (options_.to_float) round_to_float(snapped.mesh);
    const Welded again(snapped.mesh);
    const std::vector<TrianglePair> left = find_crossings_of(again, is_made_);
    if (are_too_many(left)) return false;
    const Arrangement arrangement = arrange(again, left, progress_);
    const WindingCells cells = find_winding_cells(again, arrangement);
    if (!rule_.holds_for(cells)) return false;
    take_over(snapped.mesh, again, arrangement, rule_.of_rest(arrangement, cells));
    return true;
  }
  static void round_to_float(Mesh& mesh) {
    for (Point& p : mesh.points) p = rounded_to_float(p);
  }
  [[nodiscard]] static bool is_changed(const Mesh& before, std::uint32_t parent, const Mesh& after,
                                       std::size_t t) {
    for (std::size_t k = 0; k < 3; ++k) {
      if (after.point(after.triangles[t][k]) != before.point(before.triangles[parent][k])) {
        return true;
      }
    }
    return false;
  }

  void tell() {
    constexpr double kMostRounds = (kMostAttempts + 1) * kRoundsOfAttempt;
    advance(progress_, "round", std::min(1.0, out_.rounding.rounds / kMostRounds));
  }

  const DividedSpace& space_;
  const FaceRule& rule_;
  const RoundingOptions& options_;
  Progress* progress_;
  double finest_ = 0;
  MaterialBoundary out_;
  std::vector<bool> is_made_;
};

}  // namespace

DividedSpace::DividedSpace(const Mesh& mesh, std::span<const std::uint32_t> label_of,
                           std::size_t labels, Progress* progress)
    : mesh_(mesh),
      label_of_(label_of),
      welded_(mesh),
      pairs_(find_crossings(welded_, progress)),
      arrangement_(arrange(welded_, pairs_, progress)),
      cells_(find_winding_cells(welded_, arrangement_, label_of, labels)) {}

bool DividedSpace::is_open() const { return any_open(cells_); }

std::map<std::int32_t, double> DividedSpace::volumes() const {
  std::vector<std::int32_t> sum(cells_.count());
  for (std::uint32_t c = 0; c < sum.size(); ++c) {
    for (const std::int32_t w : cells_.of(c)) sum[c] += w;
  }
  // By winding number what its cells see of each other's volumes.
  std::map<std::int32_t, double> volume;
  for (std::uint32_t c = 0; c < sum.size(); ++c) volume[sum[c]] += cells_.volume[c];
  volume.erase(0);
  return volume;
}

bool is_in_union(std::span<const std::int32_t> winding) {
  return std::any_of(winding.begin(), winding.end(), [](std::int32_t w) { return w > 0; });
}

MaterialBoundary pieces_of_surface(const DividedSpace& space, const std::vector<bool>& remains,
                                   std::uint32_t label, const RoundingOptions& options) {
  const Arrangement& a = space.arrangement();
  std::vector<BoundaryFaces> faces(a.pieces().size(), BoundaryFaces::none);
  for (std::size_t i = 0; i < faces.size(); ++i) {
    if (!remains[i]) continue;
    const auto parents = a.parents(i);
    const auto own = std::find_if(parents.begin(), parents.end(), [&](const PieceParent& p) {
      return space.label_of().empty() || space.label_of()[p.triangle().value] == label;
    });
    if (own == parents.end()) throw ArgumentError("pieces_of_surface: a piece of another label");
    faces[i] = own->opposite() ? BoundaryFaces::back : BoundaryFaces::front;
  }
  KeptPieces kept =
      PieceExtraction(space.mesh(), space.welded(), a, faces, options.to_float).take();
  MaterialBoundary out;
  out.mesh = std::move(kept.mesh);
  out.maps = std::move(kept.maps);
  list_what_goes(space, faces, nullptr, out);
  const Welded welded(out.mesh);
  out.rounding = {1, kept.moved, kept.points, find_crossings_of(welded, kept.is_made).size()};
  out.pairs = space.pairs().size();
  out.mesh.points_are_distinct = welded.points().size() == out.mesh.points.size();
  return out;
}

MaterialBoundary boundary_of(const DividedSpace& space, const MaterialRule& rule,
                             const RoundingOptions& options, Progress* progress) {
  if (space.is_open()) throw ArgumentError("boundary_of: the bodies are open");
  return BoundaryRounding(space, ByCells(rule), options, progress).run();
}

MaterialBoundary boundary_of_open(const DividedSpace& space, const RoundingOptions& options,
                                  Progress* progress) {
  return BoundaryRounding(space, ByRegions(), options, progress).run();
}

}  // namespace aguja
