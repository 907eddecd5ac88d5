#include "aguja/mend/stitch.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <string>
#include <tuple>

#include "aguja/base/parallel.h"
#include "aguja/mesh/rims.h"
#include "base/parallel_algorithms.h"
#include "mend/agree.h"
#include "mend/zip_check.h"

namespace aguja {
namespace {

// After so many rounds of undoing what harms, the step is given up as a whole.
constexpr int kMostZipRounds = 24;
constexpr int kMostZipPasses = 4;

using Origins = std::vector<std::pair<VertexId, Point>>;

class Stitcher {
 public:
  Stitcher(const Mesh& mesh, StageTimes* times, Progress* progress)
      : times_(times), progress_(progress) {
    const Welded welded = timed(times_, "weld", [&] { return Welded(mesh); });
    current_.points.assign(welded.points().begin(), welded.points().end());
    current_.triangles.assign(welded.triangles().begin(), welded.triangles().end());
    current_.wires.assign(welded.wires().begin(), welded.wires().end());
    current_.patch_of = mesh.patch_of;
    current_.points_are_distinct = true;
    result_.new_vertex.resize(mesh.points.size());
    for (std::uint32_t v = 0; v < mesh.points.size(); ++v) {
      result_.new_vertex[v] = welded.vertex({v});
    }
    result_.parent.resize(mesh.triangles.size());
    for (std::uint32_t t = 0; t < result_.parent.size(); ++t) result_.parent[t] = {t};
  }

  StitchResult run(double tolerance, const StitchOptions& options) {
    round_to_float_ = options.round_to_float;
    if (!options.only.empty()) {
      only_.assign(result_.parent.size(), false);
      for (const TriangleId t : options.only) only_[t.value] = true;
    }
    std::optional<EdgeTable> edges;
    make_edges(edges);
    naked_ = result_.naked_before = count_edges(*edges).naked;
    for (int step = 1; step <= options.steps; ++step) {
      advance(progress_, "stitch", static_cast<double>(step - 1) / options.steps);
      // What one pass had to leave, its neighbours being in the way, the next may join.
      for (int pass = 0; pass < kMostZipPasses; ++pass) {
        const std::size_t naked = naked_;
        if (naked == 0) break;
        refused_.clear();
        zip(tolerance * step / options.steps, edges);
        if (naked_ == naked) break;
      }
    }
    if (options.orient) {
      joined_.resize(edges->size());
      result_.turned_over =
          timed(times_, "orient", [&] { return make_agree(current_, *edges, joined_); });
    }
    result_.refused = std::move(refused_);
    finish(*edges);
    return std::move(result_);
  }

 private:
  void make_edges(std::optional<EdgeTable>& edges) {
    timed(times_, "edges", [&] { edges.emplace(current_.triangles, current_.points.size()); });
  }

  void zip(double tolerance, std::optional<EdgeTable>& edges) {
    const Welded welded(current_);
    const RimPairing pairing = timed(times_, "pairing", [&] {
      return pair_rims(welded, *edges, find_components(welded.triangles(), *edges), tolerance);
    });
    const std::vector<std::array<Point, 2>> edge_origins = origins_of(pairing);
    std::vector<VertexId> banned = left_alone(pairing);
    for (int round = 0;; ++round) {
      advance(progress_, "stitch", 0.0);
      const ZipPlan plan = timed(times_, "pairing", [&] {
        return plan_zip(welded, *edges, pairing, tolerance,
                        {origins_, edge_origins, banned, round_to_float_});
      });
      if (plan.knots.empty()) return;
      Zipped zipped = timed(times_, "join",
                            [&] { return apply_zip(welded, current_.patch_of, pairing, plan); });
      zipped.mesh.points_are_distinct = true;
      std::optional<EdgeTable> after;
      timed(times_, "join",
            [&] { after.emplace(zipped.mesh.triangles, zipped.mesh.points.size()); });
      std::vector<EdgeId> joined;
      const auto harm = timed(times_, "check", [&] {
        joined = newly_joined(welded, *edges, zipped, *after);
        return find_harm(welded, *edges, zipped, *after, joined);
      });
      if (harm.empty()) {
        // Follows from the above: every knot closes an edge. Cheap enough to make sure.
        const std::size_t naked = count_edges(*after).naked;
        if (naked > naked_) return;
        naked_ = naked;
        accept(std::move(zipped), joined, welded, *edges, *after);
        edges = std::move(after);
        return;
      }
      for (const auto& [knot, reason] : harm) {
        const Knot& k = plan.knots[knot];
        banned.insert(banned.end(), k.members.begin(), k.members.end());
        refused_.push_back({reason, k.place, {}});
      }
      if (round == kMostZipRounds) return;
      std::sort(banned.begin(), banned.end());
    }
  }

  // Vertices of rims that only triangles have that were not asked for.
  [[nodiscard]] std::vector<VertexId> left_alone(const RimPairing& pairing) const {
    std::vector<VertexId> banned;
    if (only_.empty()) return banned;
    std::vector<VertexId> asked;
    for (const NakedEdge& e : pairing.naked) {
      const bool is_asked = only_[result_.parent[e.triangle.value].value];
      auto& list = is_asked ? asked : banned;
      list.push_back(e.from);
      list.push_back(e.to);
    }
    std::sort(asked.begin(), asked.end());
    std::sort(banned.begin(), banned.end());
    banned.erase(std::unique(banned.begin(), banned.end()), banned.end());
    std::erase_if(banned,
                  [&](VertexId v) { return std::binary_search(asked.begin(), asked.end(), v); });
    return banned;
  }

  struct CornerOrigins {
    TriangleId triangle;
    std::array<Point, 3> corners;
  };
  void index_origins() {
    has_origins_.assign(current_.triangles.size(), false);
    for (const CornerOrigins& o : corner_origins_) {
      if (o.triangle.value >= has_origins_.size()) has_origins_.resize(o.triangle.value + 1);
      has_origins_[o.triangle.value] = true;
    }
  }
  [[nodiscard]] const CornerOrigins* find_origins(TriangleId t) const {
    if (t.value >= has_origins_.size() || !has_origins_[t.value]) return nullptr;
    return &*std::lower_bound(
        corner_origins_.begin(), corner_origins_.end(), t,
        [](const CornerOrigins& o, TriangleId id) { return o.triangle < id; });
  }

  // Where the triangle's corners were in the input, or on the input's triangle that it is part of.
  [[nodiscard]] std::array<Point, 3> corner_origins(TriangleId t) const {
    if (const CornerOrigins* own = find_origins(t)) return own->corners;
    const Triangle& triangle = current_.triangle(t);
    return {current_.point(triangle[0]), current_.point(triangle[1]), current_.point(triangle[2])};
  }
  [[nodiscard]] std::vector<std::array<Point, 2>> origins_of(const RimPairing& pairing) const {
    std::vector<std::array<Point, 2>> ends;
    if (corner_origins_.empty()) return ends;
    for (const NakedEdge& e : pairing.naked) {
      const Triangle& t = current_.triangle(e.triangle);
      const std::array<Point, 3> corners = corner_origins(e.triangle);
      const std::size_t c = t[0] == e.from ? 0 : t[1] == e.from ? 1 : 2;
      ends.push_back({corners[c], corners[(c + 1) % 3]});
    }
    return ends;
  }

  void accept(Zipped zipped, std::span<const EdgeId> joined, const Welded& before,
              const EdgeTable& edges_before, const EdgeTable& edges_after) {
    // By triangle: what this pass changed, and what an earlier one did and this one left alone.
    std::vector<CornerOrigins> origins(zipped.changed.size());
    parallel_ranges(zipped.changed.size(), 4096, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const TriangleId t = zipped.changed[i];
        const std::array<Point, 3> parent = corner_origins(zipped.parent[t.value]);
        origins[i].triangle = t;
        for (std::size_t c = 0; c < 3; ++c) {
          const CornerSource& source = zipped.sources[i][c];
          const Point& from = parent[source.corner];
          origins[i].corners[c] = from + source.at * (parent[(source.corner + 1) % 3] - from);
        }
      }
    });
    if (!corner_origins_.empty()) {
      std::vector<bool> has_origins(zipped.parent.size());
      for (const TriangleId t : zipped.changed) has_origins[t.value] = true;
      for (std::uint32_t t = 0; t < zipped.parent.size(); ++t) {
        const CornerOrigins* own = find_origins(zipped.parent[t]);
        if (!has_origins[t] && own != nullptr) origins.push_back({{t}, own->corners});
      }
    }
    std::sort(origins.begin(), origins.end(), [](const CornerOrigins& a, const CornerOrigins& b) {
      return a.triangle < b.triangle;
    });
    std::vector<TriangleId> parents(zipped.parent.size());
    for (std::size_t t = 0; t < parents.size(); ++t) {
      parents[t] = result_.parent[zipped.parent[t].value];
    }
    result_.parent = std::move(parents);
    corner_origins_ = std::move(origins);
    index_origins();
    for (VertexId& v : result_.new_vertex) v = zipped.new_vertex[v.value];
    result_.inserted += zipped.inserted;
    std::vector<bool> all(edges_after.size());
    for (const EdgeId e : joined) all[e.value] = true;
    if (!joined_.empty()) {
      for (const EdgeId e : still_joined(before, edges_before, joined_, zipped, edges_after)) {
        all[e.value] = true;
      }
    }
    joined_ = std::move(all);
    current_ = std::move(zipped.mesh);
    // Vertices that are where all of their corners came from need none.
    std::vector<bool> moved(current_.points.size());
    const auto for_each_corner = [&](const auto& visit) {
      for (const auto& [t, corners] : corner_origins_) {
        for (std::size_t c = 0; c < 3; ++c) visit(current_.triangle(t)[c], corners[c]);
      }
    };
    for_each_corner([&](VertexId v, const Point& from) {
      if (from != current_.point(v)) moved[v.value] = true;
    });
    origins_.clear();
    for_each_corner([&](VertexId v, const Point& from) {
      if (moved[v.value]) origins_.emplace_back(v, from);
    });
    const auto before_that = [](const auto& a, const auto& b) {
      return std::tuple(a.first, a.second.x(), a.second.y(), a.second.z()) <
             std::tuple(b.first, b.second.x(), b.second.y(), b.second.z());
    };
    parallel_sort(origins_.begin(), origins_.end(), before_that);
    origins_.erase(std::unique(origins_.begin(), origins_.end()), origins_.end());
  }

  void finish(const EdgeTable& edges) {
    result_.joined = static_cast<std::size_t>(std::count(joined_.begin(), joined_.end(), true));
    for (const auto& [v, point] : origins_) {
      const double moved = (current_.point(v) - point).norm();
      if (moved > result_.largest_movement) {
        result_.largest_movement = moved;
        result_.largest_movement_at = current_.point(v);
      }
    }
    result_.moved.resize(current_.triangles.size());
    for (const auto& [t, corners] : corner_origins_) {
      for (std::size_t c = 0; c < 3; ++c) {
        const double moved = (current_.point(current_.triangle(t)[c]) - corners[c]).norm();
        result_.moved[t.value] = std::max(result_.moved[t.value], moved);
      }
    }
    const Rims rims(edges);
    for (std::size_t i = 0; i < rims.size(); ++i) {
      const Rim rim = rims[i];
      result_.still_open.push_back({middle(rim, current_.points), box_of(rim, current_.points),
                                    length(rim, current_.points), rim.edges.size(), rim.is_loop()});
      result_.naked_after += rim.edges.size();
    }
    std::stable_sort(result_.still_open.begin(), result_.still_open.end(),
                     [](const OpenRim& a, const OpenRim& b) { return a.length > b.length; });
    result_.mesh = std::move(current_);
  }

  StageTimes* times_;
  Progress* progress_;
  Mesh current_;
  bool round_to_float_ = false;
  std::size_t naked_ = 0;   // edges now
  std::vector<bool> only_;  // by triangle of the input; empty: all
  // Of triangles that changed; and the same by vertex.
  std::vector<CornerOrigins> corner_origins_;  // by triangle
  std::vector<bool> has_origins_;
  Origins origins_;
  std::vector<bool> joined_;      // by edge
  std::vector<Refusal> refused_;  // in the last pass
  StitchResult result_;
};

}  // namespace

namespace {

void check(double tolerance, const StitchOptions& options) {
  if (!(tolerance >= 0) || !std::isfinite(tolerance)) {
    throw ArgumentError("stitch: tolerance must be a finite length of 0 or more; got " +
                        std::to_string(tolerance));
  }
  if (options.steps < 1) {
    throw ArgumentError("stitch: steps must be 1 or more; got " + std::to_string(options.steps));
  }
}

}  // namespace

StitchResult stitch(const Mesh& mesh, double tolerance, const StitchOptions& options,
                    StageTimes* times, Progress* progress) {
  check(tolerance, options);
  return Stitcher(mesh, times, progress).run(tolerance, options);
}

Change as_change(StitchResult result, const Budget& budget) {
  Change change;
  change.mesh = std::move(result.mesh);
  change.parent = std::move(result.parent);
  change.vertex_now = std::move(result.new_vertex);
  change.spent = std::move(result.moved);
  for (std::size_t t = 0; t < change.spent.size(); ++t) {
    change.spent[t] += budget.spent_at(change.parent[t]);
  }
  change.done = result.joined + result.turned_over;
  if (result.joined > 0) {
    change.methods.push_back(std::to_string(result.joined) + " edges joined, " +
                             std::to_string(result.inserted) + " divided");
  }
  if (result.turned_over > 0) {
    change.methods.push_back(std::to_string(result.turned_over) + " triangles turned to agree");
  }
  change.refused = std::move(result.refused);
  return change;
}

StitchedModel stitch(Model model, double tolerance, const StitchOptions& options, StageTimes* times,
                     Progress* progress) {
  check(tolerance, options);
  StitchResult total;
  for (Part& part : model.parts) {
    StitchResult r = stitch(part.mesh(), tolerance, options, times, progress);
    PartDraft changed(std::move(part));
    changed.mesh = std::move(r.mesh);
    changed.facets = {};  // stored normals and attributes are those of other triangles now
    changed.surfaces.clear();
    part = std::move(changed);
    total.naked_before += r.naked_before;
    total.naked_after += r.naked_after;
    total.joined += r.joined;
    total.inserted += r.inserted;
    total.turned_over += r.turned_over;
    if (r.largest_movement > total.largest_movement) {
      total.largest_movement = r.largest_movement;
      total.largest_movement_at = r.largest_movement_at;
    }
    total.refused.insert(total.refused.end(), r.refused.begin(), r.refused.end());
    total.still_open.insert(total.still_open.end(), r.still_open.begin(), r.still_open.end());
  }
  std::stable_sort(total.still_open.begin(), total.still_open.end(),
                   [](const OpenRim& a, const OpenRim& b) { return a.length > b.length; });
  return {std::move(model), std::move(total)};
}

}  // namespace aguja
