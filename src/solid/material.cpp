#include "aguja/solid/material.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <tuple>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "aguja/solid/cells.h"
#include "aguja/solid/winding_field.h"
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

double triangle_area(std::span<const Point> points, const Triangle& t) {
  return 0.5 * (points[t[1].value] - points[t[0].value])
                   .cross(points[t[2].value] - points[t[0].value])
                   .norm();
}

// Regions that are joined across conflicts, each with its sense against the root of its set.
class SignedSets {
 public:
  explicit SignedSets(std::size_t count) : parent_(count), against_(count) {
    std::iota(parent_.begin(), parent_.end(), 0U);
  }
  struct Place {
    std::uint32_t root;
    bool against;
  };
  Place find(std::uint32_t x) {
    bool against = false;
    std::uint32_t root = x;
    while (parent_[root] != root) {
      against ^= against_[root];
      root = parent_[root];
    }
    // All on the way are hung under the root.
    bool left = against;
    for (std::uint32_t at = x; at != root;) {
      const std::uint32_t next = parent_[at];
      const bool own = against_[at];
      parent_[at] = root;
      against_[at] = left;
      left ^= own;
      at = next;
    }
    return {root, against};
  }
  // The two must face opposite ways as they are numbered (their triangles run the same way).
  void oppose(std::uint32_t a, std::uint32_t b) {
    const Place pa = find(a), pb = find(b);
    if (pa.root == pb.root) {
      if (pa.against == pb.against) twisted_.push_back(pa.root);
      return;
    }
    const auto [low, high] = std::minmax(pa.root, pb.root);
    parent_[high] = low;
    against_[high] = !(pa.against ^ pb.against);
  }
  // Sets with no two sides, as a Moebius strip has none.
  [[nodiscard]] const std::vector<std::uint32_t>& twisted() const { return twisted_; }

 private:
  std::vector<std::uint32_t> parent_;
  std::vector<bool> against_;
  std::vector<std::uint32_t> twisted_;
};

// From so many triangles on, the far field of a piece costs less than its triangles one by one.
constexpr std::size_t kFieldPays = 8;

// About `count` triangles of a list, spread evenly over its area, whatever its order: by centroid;
// different triangles may have one, and `is_before` tells then.
template <class MiddleOf, class IsBefore>
std::vector<TriangleId> spread_over(std::vector<TriangleId> list, std::span<const double> area,
                                    std::size_t count, const MiddleOf& middle,
                                    const IsBefore& is_before) {
  std::vector<TriangleId> chosen;
  if (list.size() > count) {
    struct Placed {
      Point middle;
      TriangleId triangle;
    };
    Array<Placed> placed(list.size());
    parallel_ranges(list.size(), std::size_t{1} << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) placed[i] = {middle(list[i]), list[i]};
    });
    parallel_sort(placed.begin(), placed.end(), [&](const Placed& a, const Placed& b) {
      if (a.middle != b.middle) return lexicographically_less(a.middle, b.middle);
      return is_before(a.triangle, b.triangle);
    });
    for (std::size_t i = 0; i < list.size(); ++i) list[i] = placed[i].triangle;
  }
  double total = 0;
  for (const TriangleId t : list) total += area[t.value];
  if (total <= 0) return chosen;
  double next = 0.5 * total / static_cast<double>(count);
  double sum = 0;
  for (const TriangleId t : list) {
    sum += area[t.value];
    if (sum < next) continue;
    chosen.push_back(t);
    const double step = total / static_cast<double>(count);
    next += step * (1 + std::floor((sum - next) / step));
  }
  return chosen;
}

class Finder {
 public:
  Finder(const JoinedSurface& surface, const std::vector<bool>& left_out, bool crossings)
      : surface_(surface),
        points_(surface.points()),
        triangles_(surface.triangles()),
        edges_(&surface.edges()),
        rims_(&surface.rims()) {
    leave_out(left_out);
    make_regions();
    make_pieces();
    find_flaps();
    if (!crossings) {
      const Bodies apart = bodies_apart();
      for_each_body([&](std::uint32_t b) {
        if (bodies_[b].closed || has_nonmanifold_[b]) by_cells(b, apart.of(b));
      });
    }
    vote();
    nest();
    assign_roles();
    measure_bodies();
  }

  Material result() && {
    Material m;
    m.region_of.assign(regions_.shell_of.size(), kNoIndex);
    for (std::uint32_t t = 0; t < m.region_of.size(); ++t) m.region_of[t] = region_of(t);
    m.regions = std::move(out_);
    m.bodies = std::move(bodies_);
    return m;
  }

 private:
  // What is turned over as one: regions that agree across conflicts.
  struct Piece {
    std::vector<TriangleId> triangles;
    std::uint32_t body = 0;
    double area = 0;
    bool flip = false;     // should be turned, against what its majority is now
    bool decided = false;  // by cells
    bool twisted = false;
    bool flap = false;
    double margin = 0;
  };

  // Each of them changes only what is its own.
  template <class Work>
  void for_each_body(const Work& work) {
    parallel_ranges(bodies_.size(), 16, [&](Range r) {
      for (std::size_t b = r.begin; b < r.end; ++b) work(static_cast<std::uint32_t>(b));
    });
  }

  [[nodiscard]] std::uint32_t region_of(std::uint32_t t) const {
    return regions_.shell_of[t].value;
  }
  [[nodiscard]] std::uint32_t body_of(std::uint32_t t) const {
    return surface_.components().shell_of[t].value;
  }

  // A triangle with equal corners is in no edge and no component: what is left out becomes one.
  void leave_out(const std::vector<bool>& left_out) {
    if (left_out.empty()) return;
    own_triangles_.assign(triangles_.begin(), triangles_.end());
    for (std::uint32_t t = 0; t < own_triangles_.size(); ++t) {
      if (left_out[surface_.parent({t}).value]) own_triangles_[t] = {{{0}, {0}, {0}}};
    }
    triangles_ = own_triangles_;
    edges_ = &own_edges_.emplace(triangles_, points_.size());
    rims_ = &own_rims_.emplace(*edges_);
  }

  void make_regions() {
    regions_ = find_components(triangles_, *edges_, Joining::agreeing_edge);
    out_.resize(regions_.count);
    bodies_.resize(surface_.components().count);
    area_.resize(triangles_.size());
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (!regions_.has({t})) continue;
      area_[t] = triangle_area(points_, triangles_[t]);
      Region& r = out_[region_of(t)];
      ++r.triangles;
      r.area += area_[t];
      r.body = body_of(t);
      bodies_[r.body].area += area_[t];
    }
    for (MaterialBody& b : bodies_) b.closed = b.area > 0;
    has_nonmanifold_.resize(bodies_.size());
    for (std::uint32_t e = 0; e < edges_->size(); ++e) {
      const auto uses = edges_->uses({e});
      if (uses.size() == 2) continue;
      const std::uint32_t body = body_of(uses[0].triangle().value);
      if (uses.size() == 1) bodies_[body].closed = false;
      if (uses.size() > 2) has_nonmanifold_[body] = true;
    }
  }

  void make_pieces() {
    SignedSets sets(out_.size());
    for (std::uint32_t e = 0; e < edges_->size(); ++e) {
      if (!edges_->is_winding_conflict({e})) continue;
      const auto uses = edges_->uses({e});
      sets.oppose(region_of(uses[0].triangle().value), region_of(uses[1].triangle().value));
    }
    std::vector<std::uint32_t> number(out_.size(), kNoIndex);
    std::vector<double> against(out_.size(), 0.0);  // by piece: area against the root
    piece_of_.resize(out_.size());
    flipped_.resize(out_.size());
    for (std::uint32_t r = 0; r < out_.size(); ++r) {
      const auto place = sets.find(r);
      if (number[place.root] == kNoIndex) {
        number[place.root] = static_cast<std::uint32_t>(pieces_.size());
        pieces_.emplace_back();
      }
      const std::uint32_t p = number[place.root];
      piece_of_[r] = p;
      flipped_[r] = place.against;
      pieces_[p].area += out_[r].area;
      pieces_[p].body = out_[r].body;
      if (place.against) against[p] += out_[r].area;
    }
    for (std::uint32_t r = 0; r < out_.size(); ++r) {
      const std::uint32_t p = piece_of_[r];
      if (2 * against[p] > pieces_[p].area) flipped_[r] = !flipped_[r];
    }
    for (const std::uint32_t root : sets.twisted()) pieces_[number[root]].twisted = true;
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (regions_.has({t})) pieces_[piece_of_[region_of(t)]].triangles.push_back({t});
    }
    pieces_of_body_.resize(bodies_.size());
    for (std::uint32_t p = 0; p < pieces_.size(); ++p) {
      pieces_of_body_[pieces_[p].body].push_back(p);
    }
  }

  [[nodiscard]] bool is_turned(std::uint32_t t) const {
    const std::uint32_t r = region_of(t);
    return flipped_[r] != pieces_[piece_of_[r]].flip;
  }

  [[nodiscard]] Point middle(TriangleId t) const {
    const Triangle& c = triangles_[t.value];
    return (points_[c[0].value] + points_[c[1].value] + points_[c[2].value]) / 3.0;
  }
  [[nodiscard]] std::vector<TriangleId> spread(std::vector<TriangleId> list,
                                               std::size_t count) const {
    const auto corners = [&](TriangleId t) {
      std::array<Point, 3> own;
      for (std::size_t c = 0; c < 3; ++c) own[c] = points_[triangles_[t.value][c].value];
      std::sort(own.begin(), own.end(), lexicographically_less);
      return own;
    };
    return spread_over(
        std::move(list), area_, count, [&](TriangleId t) { return middle(t); },
        [&](TriangleId a, TriangleId b) {
          const auto p = corners(a), q = corners(b);
          for (std::size_t i = 0; i < 3; ++i) {
            if (p[i] != q[i]) return lexicographically_less(p[i], q[i]);
          }
          return a < b;  // back to back, or copies
        });
  }

  // Flat pieces that hang on others and end in the open have no say: they bound nothing.
  void find_flaps() {
    std::vector<double> naked(pieces_.size(), 0.0), hung(pieces_.size(), 0.0);
    for (std::uint32_t e = 0; e < edges_->size(); ++e) {
      const auto uses = edges_->uses({e});
      if (uses.size() == 2) continue;
      const Edge& edge = edges_->edge({e});
      const double length = (points_[edge.low.value] - points_[edge.high.value]).norm();
      for (const EdgeUse use : uses) {
        const std::uint32_t p = piece_of_[region_of(use.triangle().value)];
        (uses.size() == 1 ? naked : hung)[p] += length;
      }
    }
    for (const auto& own : pieces_of_body_) {
      double largest = 0;
      for (const std::uint32_t p : own) largest = std::max(largest, pieces_[p].area);
      for (const std::uint32_t p : own) {
        Piece& piece = pieces_[p];
        if (naked[p] < 0.25 * (naked[p] + hung[p]) || hung[p] == 0 || piece.area >= largest) {
          continue;
        }
        Vector sum = Vector::Zero();
        for (const TriangleId t : piece.triangles) {
          const Triangle& c = triangles_[t.value];
          const Vector n = 0.5 * (points_[c[1].value] - points_[c[0].value])
                                     .cross(points_[c[2].value] - points_[c[0].value]);
          sum += flipped_[region_of(t.value)] ? Vector(-n) : n;
        }
        piece.flap = sum.norm() > 0.8 * piece.area;
      }
    }
  }

  // Triangles and edges by body.
  struct Bodies {
    std::vector<TriangleId> triangles;  // one body after another
    std::vector<EdgeId> edges;
    std::vector<std::size_t> first_triangle, first_edge;  // by body, and one more
    std::vector<std::uint32_t> place;                     // by triangle: which of its body

    [[nodiscard]] SurfacePiece of(std::uint32_t body) const {
      return {std::span(triangles).subspan(first_triangle[body],
                                           first_triangle[body + 1] - first_triangle[body]),
              std::span(edges).subspan(first_edge[body], first_edge[body + 1] - first_edge[body]),
              place};
    }
  };
  [[nodiscard]] Bodies bodies_apart() const {
    Bodies all;
    const auto number = [&](std::size_t count, auto&& body_at, auto&& put) {
      std::vector<std::size_t> first(bodies_.size() + 1);
      for (std::uint32_t i = 0; i < count; ++i) {
        if (const std::uint32_t b = body_at(i); b != kNoIndex) ++first[b + 1];
      }
      std::partial_sum(first.begin(), first.end(), first.begin());
      std::vector<std::size_t> next(first.begin(), first.end() - 1);
      for (std::uint32_t i = 0; i < count; ++i) {
        if (const std::uint32_t b = body_at(i); b != kNoIndex) put(i, next[b]++, first[b]);
      }
      return first;
    };
    all.triangles.resize(triangles_.size());
    all.place.resize(triangles_.size());
    all.first_triangle = number(
        triangles_.size(),
        [&](std::uint32_t t) { return regions_.has({t}) ? body_of(t) : kNoIndex; },
        [&](std::uint32_t t, std::size_t at, std::size_t first) {
          all.triangles[at] = {t};
          all.place[t] = static_cast<std::uint32_t>(at - first);
        });
    all.edges.resize(edges_->size());
    all.first_edge = number(
        edges_->size(),
        [&](std::uint32_t e) { return body_of(edges_->uses({e})[0].triangle().value); },
        [&](std::uint32_t e, std::size_t at, std::size_t) { all.edges[at] = {e}; });
    return all;
  }

  // The cells of a body, and which of them its walls call material. Pieces that lie in the open on
  // both sides are left to the vote: the body may be open there.
  void by_cells(std::uint32_t body, const SurfacePiece& own) {
    for (const std::uint32_t p : pieces_of_body_[body]) {
      if (pieces_[p].twisted) return;
    }
    const Cells cells = find_cells(points_, triangles_, *edges_, own);
    // Exactly one cell is the outside of all others.
    std::optional<std::uint32_t> outside;
    // A cell that is less than this part of the largest is none but for rounding of its volume.
    constexpr double kNoVolume = 1e-12;
    double largest = 0;
    for (const Cell& c : cells.cells) largest = std::max(largest, std::fabs(c.volume));
    for (std::uint32_t c = 0; c < cells.cells.size(); ++c) {
      if (std::fabs(cells.cells[c].volume) <= kNoVolume * largest) return;
      if (cells.cells[c].volume > 0) continue;
      if (outside) return;
      outside = c;
    }
    if (!outside) return;
    // Seen from outside, most of the body shows its front, or it is turned over as a whole. What
    // its pieces say of the cells inside is held against that.
    const Cell& out = cells.cells[*outside];
    const bool turned = out.at_back > out.at_front;
    // Walls between two cells inside may face either way, so that only walls towards the outside
    // are sure to speak of material; what has none of these is empty if nearly all around faces it.
    std::vector<double> shown(cells.cells.size(), 0.0);
    for (std::size_t i = 0; i < own.triangles.size(); ++i) {
      const std::uint32_t front = cells.of_side[2 * i + (turned ? 1 : 0)];
      const std::uint32_t back = cells.of_side[2 * i + (turned ? 0 : 1)];
      if (front == *outside) shown[back] += area_[own.triangles[i].value];
    }
    std::vector<bool> is_material(cells.cells.size());
    constexpr double kShown = 0.05, kFacedBy = 0.8;
    for (std::uint32_t c = 0; c < cells.cells.size(); ++c) {
      if (c == *outside) continue;
      const Cell& cell = cells.cells[c];
      const double all = cell.at_back + cell.at_front;
      const double facing = turned ? cell.at_back : cell.at_front;
      is_material[c] = shown[c] > kShown * all || facing < kFacedBy * all;
    }
    for (const std::uint32_t p : pieces_of_body_[body]) {
      Piece& piece = pieces_[p];
      const TriangleId t = piece.triangles.front();
      const bool as_read = !flipped_[region_of(t.value)];
      const std::size_t i = own.place[t.value];
      const std::uint32_t front = cells.of_side[2 * i + (as_read ? 0 : 1)];
      const std::uint32_t back = cells.of_side[2 * i + (as_read ? 1 : 0)];
      if (front == back && front == *outside && !bodies_[body].closed) continue;
      piece.decided = true;
      piece.margin = 1;
      piece.flip = is_material[front] && !is_material[back];
      const RegionRole role = is_material[front] == is_material[back]
                                  ? is_material[front] ? RegionRole::internal : RegionRole::outside
                                  : RegionRole::boundary;
      for (const TriangleId own_t : piece.triangles) {
        Region& region = out_[region_of(own_t.value)];
        region.role = role;
        region.exact = true;
        region.margin = 1;
      }
    }
    if (!is_decided(body)) {
      for (const TriangleId t : own.triangles) out_[region_of(t.value)].exact = false;
    }
    bodies_[body].margin = 1;
  }

  // Open pieces face so that the winding number on all surfaces comes nearest to 1/2.
  void vote() {
    std::vector<std::uint32_t> open;
    std::vector<TriangleId> all;
    std::vector<TriangleId> fixed;
    for (std::uint32_t p = 0; p < pieces_.size(); ++p) {
      const Piece& piece = pieces_[p];
      if (piece.area <= 0 || piece.flap) continue;
      all.insert(all.end(), piece.triangles.begin(), piece.triangles.end());
      if (piece.decided) {
        fixed.insert(fixed.end(), piece.triangles.begin(), piece.triangles.end());
      } else {
        open.push_back(p);
      }
    }
    if (open.empty()) return;
    // Large ones first; the order of the file must not show.
    std::vector<std::pair<double, Point>> key(pieces_.size());
    for (const std::uint32_t p : open) {
      Point least = middle(pieces_[p].triangles.front());
      for (const TriangleId t : pieces_[p].triangles) least = least.cwiseMin(middle(t));
      key[p] = {pieces_[p].area, least};
    }
    std::sort(open.begin(), open.end(), [&](std::uint32_t a, std::uint32_t b) {
      const auto whole = [&](std::uint32_t p) {
        const Point& at = key[p].second;
        return std::tuple(-key[p].first, at.x(), at.y(), at.z());
      };
      return whole(a) < whole(b);
    });
    std::sort(all.begin(), all.end());
    std::sort(fixed.begin(), fixed.end());
    const std::size_t budget = std::size_t{1} << 22;
    const std::size_t wanted = std::clamp<std::size_t>(budget / open.size(), 16, 512);
    const auto samples = spread(all, wanted);
    const std::size_t n = samples.size();
    if (n == 0) return;
    const std::vector<bool> turned = turned_now();
    Eigen::ArrayXd sum = Eigen::ArrayXd::Zero(static_cast<Eigen::Index>(n));
    const auto add_field = [&](std::span<const TriangleId> own, auto&& to) {
      const WindingField field(points_, triangles_, own, turned);
      for (std::size_t k = 0; k < n; ++k) to(k, field.at_middle(samples[k]));
    };
    add_field(fixed, [&](std::size_t k, double w) { sum[static_cast<Eigen::Index>(k)] += w; });
    // By open piece (a row) and sample: its own winding number there.
    Eigen::Array<float, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor> own(
        static_cast<Eigen::Index>(open.size()), static_cast<Eigen::Index>(n));
    parallel_ranges(open.size(), 16, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto row = static_cast<Eigen::Index>(i);
        const auto& list = pieces_[open[i]].triangles;
        if (list.size() > kFieldPays) {
          add_field(list, [&](std::size_t k, double w) {
            own(row, static_cast<Eigen::Index>(k)) = static_cast<float>(w);
          });
          continue;
        }
        for (std::size_t k = 0; k < n; ++k) {
          own(row, static_cast<Eigen::Index>(k)) =
              static_cast<float>(direct(list, turned, samples[k]));
        }
      }
    });
    for (Eigen::Index i = 0; i < own.rows(); ++i) sum += own.row(i).cast<double>().transpose();
    descend(open, own, sum);
  }

  [[nodiscard]] double direct(std::span<const TriangleId> list, const std::vector<bool>& turned,
                              TriangleId at) const {
    const Point q = middle(at);
    WindingSum sum;
    for (const TriangleId t : list) {
      const Triangle& c = triangles_[t.value];
      if (join_same_vertices(c, triangles_[at.value])) continue;
      sum.add(points_[c[0].value], points_[c[1].value], points_[c[2].value], q, turned[t.value]);
    }
    return sum.value();
  }

  // Turns one piece after another as long as that brings the sum of squares down.
  template <class Rows>
  void descend(std::span<const std::uint32_t> open, const Rows& own, Eigen::ArrayXd sum) {
    std::vector<double> strength(open.size());
    for (std::size_t i = 0; i < open.size(); ++i) {
      strength[i] = own.row(static_cast<Eigen::Index>(i)).template cast<double>().square().sum();
    }
    std::vector<double> sign(open.size(), 1.0);
    // Less than this, on average over the places asked, is noise of the far field.
    constexpr double kFieldNoise = 1e-6;
    // What turning a piece brings must be clearly more than nothing, or sweeps go on for ever.
    constexpr double kLeastGain = 1e-3;
    const double noise = kFieldNoise * static_cast<double>(sum.size());
    const auto margin = [&](std::size_t i) {
      if (strength[i] <= noise) return 0.0;
      const auto row = own.row(static_cast<Eigen::Index>(i)).template cast<double>().transpose();
      return 1 - sign[i] * (row * (sum - 0.5)).sum() / strength[i];
    };
    constexpr int kMostSweeps = 30;
    // Whole bodies first: a body that faces inward is turned in one step.
    for (int sweep = 0; sweep < kMostSweeps; ++sweep) {
      bool changed = false;
      for (std::size_t i = 0; i < open.size(); ++i) {
        // Turning changes the sum of squares by 4 x strength x margin.
        if (margin(i) >= -kLeastGain) continue;
        const auto row = own.row(static_cast<Eigen::Index>(i)).template cast<double>().transpose();
        sum -= 2 * sign[i] * row;
        sign[i] = -sign[i];
        changed = true;
      }
      if (!changed) break;
    }
    for (std::size_t i = 0; i < open.size(); ++i) {
      Piece& piece = pieces_[open[i]];
      piece.flip = sign[i] < 0;
      piece.margin = std::clamp(margin(i), 0.0, 1.0);
    }
  }

  [[nodiscard]] std::vector<bool> turned_now() const {
    std::vector<bool> turned(triangles_.size());
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (regions_.has({t})) turned[t] = is_turned(t);
    }
    return turned;
  }

  // Bodies of cells were turned outward by themselves: now those that lie in an odd number of
  // others are cavities. Open ones had their surroundings in the vote.
  void nest() {
    std::vector<TriangleId> closed;
    std::size_t count = 0;
    for (std::uint32_t b = 0; b < bodies_.size(); ++b) {
      if (!is_decided(b)) continue;
      ++count;
      for (const std::uint32_t p : pieces_of_body_[b]) {
        closed.insert(closed.end(), pieces_[p].triangles.begin(), pieces_[p].triangles.end());
      }
    }
    const std::vector<bool> turned = turned_now();
    std::sort(closed.begin(), closed.end());
    std::vector<TriangleId> open;
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (regions_.has({t}) && !is_decided(body_of(t))) open.push_back({t});
    }
    if (count == 0 || count + open.size() < 2) return;
    const WindingField of_closed(points_, triangles_, closed, turned);
    const WindingField of_open(points_, triangles_, open, turned);
    for_each_body([&](std::uint32_t b) {
      if (!is_decided(b)) return;
      const TriangleId t = outer_triangle(b);
      const double around = of_closed.at_middle(t) - 0.5;
      const double open_around = of_open.at_middle(t);
      const double in_all = around + open_around;
      // Where it overflowed nothing is known, and the margin is none.
      const auto whole = [](double w) { return w > 0 ? std::min(std::round(w), 1e9) : 0.0; };
      bodies_[b].depth = static_cast<std::size_t>(whole(around) + whole(open_around));
      bodies_[b].margin = std::max(0.0, 1 - 2 * std::fabs(in_all - std::round(in_all)));
    });
    for (std::uint32_t b = 0; b < bodies_.size(); ++b) {
      if (!is_decided(b) || bodies_[b].depth % 2 == 0) continue;
      for (const std::uint32_t p : pieces_of_body_[b]) pieces_[p].flip = !pieces_[p].flip;
    }
  }

  [[nodiscard]] bool is_decided(std::uint32_t b) const {
    const auto& own = pieces_of_body_[b];
    return !own.empty() &&
           std::all_of(own.begin(), own.end(), [&](std::uint32_t p) { return pieces_[p].decided; });
  }
  // A large triangle between the body and its outside.
  [[nodiscard]] TriangleId outer_triangle(std::uint32_t b) const {
    TriangleId best = pieces_[pieces_of_body_[b].front()].triangles.front();
    double largest = -1;
    for (const std::uint32_t p : pieces_of_body_[b]) {
      for (const TriangleId t : pieces_[p].triangles) {
        if (out_[region_of(t.value)].role != RegionRole::boundary) continue;
        if (area_[t.value] > largest) {
          largest = area_[t.value];
          best = t;
        }
      }
    }
    return best;
  }

  // Of all regions of a piece; gives the area that is to be turned.
  double assign_role(const Piece& piece, const std::optional<WindingField>& field) {
    RegionRole role = RegionRole::boundary;
    double winding = 0.5;
    double margin = piece.margin;
    bool is_known = true;
    if (piece.decided) {
      role = out_[region_of(piece.triangles.front().value)].role;
      if (role == RegionRole::internal) winding = 1;
      if (role == RegionRole::outside) winding = 0;
    } else {
      const auto samples = spread(piece.triangles, 24);
      if (!samples.empty()) {
        winding = 0;
        for (const TriangleId t : samples) {
          const std::optional<double> own = field->at_middle(t, WindingField::kMostNear);
          is_known = is_known && own;
          if (!is_known) break;
          winding += *own;
        }
        winding = is_known ? winding / static_cast<double>(samples.size()) : 0.5;
      }
      // The middle between a boundary (1/2) and the others (0 and 1) is no man's land.
      const double to_boundary = std::fabs(winding - 0.5);
      if (to_boundary > 0.25) {
        role = winding > 0.5 ? RegionRole::internal : RegionRole::outside;
      }
      const double clear = std::min(1.0, std::fabs(to_boundary - 0.25) / 0.25);
      margin = role == RegionRole::boundary ? std::min(clear, piece.margin) : clear;
      if (piece.flap && role == RegionRole::boundary) margin = 0;
      if (!is_known) margin = 0;
      if (margin < kClearMargin || piece.twisted) role = RegionRole::undecided;
    }
    double turned = 0;
    for (const TriangleId t : piece.triangles) {
      Region& region = out_[region_of(t.value)];
      const bool turns = role == RegionRole::boundary && is_turned(t.value);
      region.winding = winding;
      region.margin = margin;
      region.role = turns ? RegionRole::turned : role;
      if (turns) turned += area_[t.value];
    }
    return turned;
  }

  void assign_roles() {
    std::vector<TriangleId> all;
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (regions_.has({t}) && !pieces_[piece_of_[region_of(t)]].flap) all.push_back({t});
    }
    std::optional<WindingField> field;
    if (!std::all_of(pieces_.begin(), pieces_.end(), [](const Piece& p) { return p.decided; })) {
      field.emplace(points_, triangles_, all, turned_now());
    }
    std::vector<double> turned_of_piece(pieces_.size(), 0.0);
    parallel_ranges(pieces_.size(), 16, [&](Range r) {
      for (std::size_t p = r.begin; p < r.end; ++p) {
        turned_of_piece[p] = assign_role(pieces_[p], field);
      }
    });
    std::vector<double> turned_area(bodies_.size(), 0.0);
    for (std::size_t p = 0; p < pieces_.size(); ++p) {
      turned_area[pieces_[p].body] += turned_of_piece[p];
    }
    for (std::uint32_t b = 0; b < bodies_.size(); ++b) {
      double margin = 0;
      for (const std::uint32_t p : pieces_of_body_[b]) {
        margin += pieces_[p].margin * pieces_[p].area;
      }
      if (!is_decided(b) && bodies_[b].area > 0) bodies_[b].margin = margin / bodies_[b].area;
      // Where nearly as much faces one way as the other, neighbours are in conflict: that is told.
      bodies_[b].turned = 1.5 * turned_area[b] > bodies_[b].area;
      // Outward in itself, but in an odd number of others: cavity or body, only people know.
      bodies_[b].same_as_around = is_decided(b) && bodies_[b].turned && bodies_[b].depth % 2 == 1;
    }
  }

  void measure_bodies() {
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (!regions_.has({t})) continue;
      for (const VertexId v : triangles_[t].corner) {
        bodies_[body_of(t)].box.extend(points_[v.value]);
      }
    }
    const auto cone = [](const Vector& a, const Vector& b, const Vector& c) {
      return a.dot(b.cross(c)) / 6;
    };
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (!regions_.has({t})) continue;
      MaterialBody& body = bodies_[body_of(t)];
      const Point origin = body.box.center();
      const Triangle& tri = triangles_[t];
      const double part = cone(points_[tri[0].value] - origin, points_[tri[1].value] - origin,
                               points_[tri[2].value] - origin);
      body.capped_volume += is_turned(t) ? -part : part;
    }
    for (std::size_t i = 0; i < rims_->size(); ++i) {
      const Rim rim = (*rims_)[i];
      MaterialBody& body = bodies_[body_of(edges_->uses(rim.edges[0])[0].triangle().value)];
      const Point origin = body.box.center();
      const Vector apex = center_of(rim, points_) - origin;
      for (const EdgeId e : rim.edges) {
        const EdgeUse use = edges_->uses(e)[0];
        const Triangle& t = triangles_[use.triangle().value];
        const double part = cone(points_[t[(use.corner() + 1) % 3].value] - origin,
                                 points_[t[use.corner()].value] - origin, apex);
        body.capped_volume += is_turned(use.triangle().value) ? -part : part;
      }
    }
  }

  const JoinedSurface& surface_;
  std::span<const Point> points_;
  std::span<const Triangle> triangles_;
  const EdgeTable* edges_;
  const Rims* rims_;
  SharedArray<Triangle> own_triangles_;
  std::optional<EdgeTable> own_edges_;
  std::optional<Rims> own_rims_;
  Components regions_;
  std::vector<Region> out_;
  std::vector<MaterialBody> bodies_;
  std::vector<bool> has_nonmanifold_;    // by body
  std::vector<double> area_;             // by triangle
  std::vector<std::uint32_t> piece_of_;  // by region
  std::vector<bool> flipped_;            // by region: against the majority of its piece
  std::vector<Piece> pieces_;
  std::vector<std::vector<std::uint32_t>> pieces_of_body_;
};

}  // namespace

Material find_material(const JoinedSurface& surface, const std::vector<bool>& left_out,
                       bool crossings) {
  return Finder(surface, left_out, crossings).result();
}

}  // namespace aguja
