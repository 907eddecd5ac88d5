#include "aguja/solid/open_regions.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/solid/winding_field.h"
#include "base/disjoint_sets.h"

namespace aguja {
namespace {

class RegionJudge {
 public:
  RegionJudge(const Arrangement& arrangement, const WindingCells& cells)
      : a_(arrangement), cells_(cells) {}

  [[nodiscard]] OpenRegions run() {
    count_layers();
    find_regions();
    measure();
    tell_who_is_asked();
    judge();
    return std::move(out_);
  }

 private:
  static constexpr std::size_t kGrainOfPieces = std::size_t{1} << 12;
  static constexpr std::size_t kMostSamples = 64;
  // Half way between the boundary's 1/2 and what is the same on both sides.
  static constexpr double kHalfWay = 0.25;

  void count_layers() {
    layers_.resize(a_.pieces().size());
    for (std::size_t i = 0; i < layers_.size(); ++i) {
      int count = 0;
      for (const PieceParent p : a_.parents(i)) count += p.opposite() ? -1 : 1;
      layers_[i] = count;
    }
  }
  [[nodiscard]] bool joins(std::span<const EdgeUse> uses) const {
    return uses.size() == 2 && uses[0].forward() != uses[1].forward() &&
           layers_[uses[0].triangle().value] == layers_[uses[1].triangle().value];
  }
  void find_regions() {
    DisjointSets sets(layers_.size());
    for (std::uint32_t e = 0; e < cells_.edges.size(); ++e) {
      const auto uses = cells_.edges.uses({e});
      if (joins(uses)) sets.unite(uses[0].triangle().value, uses[1].triangle().value);
    }
    out_.of_piece.resize(layers_.size());
    std::uint32_t count = 0;
    for (std::uint32_t i = 0; i < layers_.size(); ++i) {
      const std::uint32_t root = sets.find(i);
      out_.of_piece[i] = root == i ? count++ : out_.of_piece[root];
    }
    out_.regions.resize(count);
    first_.assign(count + 1, 0);
    for (const std::uint32_t r : out_.of_piece) ++first_[r + 1];
    std::partial_sum(first_.begin(), first_.end(), first_.begin());
    by_region_.resize(layers_.size());
    std::vector<std::uint32_t> next(first_.begin(), first_.end() - 1);
    for (std::uint32_t i = 0; i < layers_.size(); ++i) by_region_[next[out_.of_piece[i]]++] = i;
  }
  [[nodiscard]] std::span<const std::uint32_t> pieces_of(std::size_t region) const {
    return {by_region_.data() + first_[region], by_region_.data() + first_[region + 1]};
  }

  void measure() {
    points_.reserve(a_.points().size());
    for (std::uint32_t p = 0; p < a_.points().size(); ++p) {
      points_.push_back(a_.points().approximation({p}));
    }
    areas_.resize(layers_.size());
    for (std::size_t i = 0; i < layers_.size(); ++i) {
      const auto at = [&](std::size_t k) -> const Point& {
        return points_[cells_.pieces[i][k].value];
      };
      areas_[i] = 0.5 * (at(1) - at(0)).cross(at(2) - at(0)).norm();
    }
    for (std::size_t r = 0; r < out_.regions.size(); ++r) {
      OpenRegion& region = out_.regions[r];
      const auto pieces = pieces_of(r);
      region.layers = layers_[pieces[0]];
      std::uint32_t largest = pieces[0];
      for (const std::uint32_t i : pieces) {
        region.area += areas_[i];
        if (areas_[i] > areas_[largest]) largest = i;
      }
      const Triangle& t = cells_.pieces[largest];
      region.place = (points_[t[0].value] + points_[t[1].value] + points_[t[2].value]) / 3.0;
    }
  }

  void tell_who_is_asked() {
    for (OpenRegion& r : out_.regions) r.is_judged = r.layers != 1;
    for (std::uint32_t e = 0; e < cells_.edges.size(); ++e) {
      const auto uses = cells_.edges.uses({e});
      if (uses.size() < 2 || joins(uses)) continue;
      for (const EdgeUse use : uses) {
        out_.regions[out_.of_piece[use.triangle().value]].is_judged = true;
      }
    }
  }

  void judge() {
    // Each piece as often as triangles face its way.
    std::vector<Triangle> triangles;
    std::vector<bool> turned;
    std::vector<std::uint32_t> triangle_of(layers_.size(), kNoIndex);
    for (std::size_t i = 0; i < layers_.size(); ++i) {
      for (int k = 0; k < std::abs(layers_[i]); ++k) {
        if (k == 0) triangle_of[i] = static_cast<std::uint32_t>(triangles.size());
        triangles.push_back(cells_.pieces[i]);
        turned.push_back(layers_[i] < 0);
      }
    }
    std::vector<TriangleId> all(triangles.size());
    for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
    const WindingField field(points_, triangles, all, turned);
    parallel_ranges(out_.regions.size(), 1, [&](Range range) {
      for (std::size_t r = range.begin; r < range.end; ++r) {
        judge(out_.regions[r], pieces_of(r), field, triangle_of);
      }
    });
  }
  void judge(OpenRegion& region, std::span<const std::uint32_t> pieces, const WindingField& field,
             std::span<const std::uint32_t> triangle_of) const {
    // As many face one way as the other.
    region.remains = false;
    if (region.layers == 0) return;
    const std::size_t step = (pieces.size() + kMostSamples - 1) / kMostSamples;
    double weight = 0, winding = 0, clear = 0;
    for (std::size_t k = 0; k < pieces.size(); k += step) {
      const double area = areas_[pieces[k]];
      const double w = field.at_middle({triangle_of[pieces[k]]});
      weight += area;
      winding += area * w;
      clear += area * clearness(region.layers, w);
    }
    if (!(weight > 0)) {
      region.margin = 0;
      return;
    }
    region.winding = winding / weight;
    if (!region.is_judged) {
      region.is_nested = region.winding > 1 + kHalfWay;
      region.remains = !region.is_nested;
      return;
    }
    region.remains = clear > 0;
    region.margin = std::fabs(clear / weight);
  }
  // Above 0 if a region with that many layers bounds material, below if it does not.
  [[nodiscard]] static double clearness(int layers, double winding) {
    const double off = std::fabs(winding - 0.5);
    const double reach = 0.5 * std::abs(layers) - kHalfWay;
    return std::clamp((reach - off) / kHalfWay, -1.0, 1.0);
  }

  const Arrangement& a_;
  const WindingCells& cells_;
  std::vector<int> layers_;    // by piece
  std::vector<double> areas_;  // by piece
  std::vector<Point> points_;  // of the arrangement, rounded
  std::vector<std::uint32_t> first_, by_region_;
  OpenRegions out_;
};

}  // namespace

OpenRegions judge_open_regions(const Arrangement& arrangement, const WindingCells& cells) {
  return RegionJudge(arrangement, cells).run();
}

}  // namespace aguja
