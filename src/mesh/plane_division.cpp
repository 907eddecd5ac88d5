#include "mesh/plane_division.h"

#include <algorithm>
#include <numeric>

#include "aguja/geometry/planar_triangulation.h"

namespace aguja {
namespace {

// The box of a cut, seen in the plane.
struct CutBox {
  double low[2], high[2];
  std::uint32_t cut;
};

std::vector<CutBox> boxes_of(const ExactPoints& points, int axis, std::span<const PlaneCut> cuts) {
  std::vector<CutBox> boxes;
  boxes.reserve(cuts.size());
  for (std::uint32_t i = 0; i < cuts.size(); ++i) {
    Box box = points.bounds(cuts[i].from);
    box.extend(points.bounds(cuts[i].to));
    CutBox own{};
    own.cut = i;
    for (int k = 0; k < 2; ++k) {
      own.low[k] = box.low[(axis + 1 + k) % 3];
      own.high[k] = box.high[(axis + 1 + k) % 3];
    }
    boxes.push_back(own);
  }
  return boxes;
}

bool cross(const ExactPoints& points, int axis, const PlaneCut& a, const PlaneCut& b) {
  if (a.other == b.other) return false;
  if (a.from == b.from || a.from == b.to || a.to == b.from || a.to == b.to) return false;
  const int from = points.orient2d(a.from, a.to, b.from, axis);
  if (from == 0 || points.orient2d(a.from, a.to, b.to, axis) != -from) return false;
  const int other = points.orient2d(b.from, b.to, a.from, axis);
  return other != 0 && points.orient2d(b.from, b.to, a.to, axis) == -other;
}

class Division {
 public:
  Division(const ExactPoints& points, const ExactPoints::View& view,
           std::span<const MemberOfPlane> members, std::span<const PlaneCut> cuts,
           std::span<const ExactPointId> points_in)
      : points_(points), view_(view), members_(members) {
    for (const MemberOfPlane& m : members) {
      for (const auto& side : m.side) ids_.insert(ids_.end(), side.begin(), side.end());
    }
    ids_.insert(ids_.end(), points_in.begin(), points_in.end());
    for (const PlaneCut& c : cuts) {
      ids_.push_back(c.from);
      ids_.push_back(c.to);
    }
    std::sort(ids_.begin(), ids_.end());
    ids_.erase(std::unique(ids_.begin(), ids_.end()), ids_.end());
    std::vector<PlanarEdge> constraints;
    for (const MemberOfPlane& m : members) {
      for (const auto& side : m.side) {
        for (std::size_t i = 0; i + 1 < side.size(); ++i) {
          constraints.push_back(edge(local(side[i]), local(side[i + 1])));
        }
      }
    }
    for (const PlaneCut& c : cuts) constraints.push_back(edge(local(c.from), local(c.to)));
    std::sort(constraints.begin(), constraints.end());
    constraints.erase(std::unique(constraints.begin(), constraints.end()), constraints.end());
    const PlanarTriangulation all = triangulate(points, ids_, view, constraints);
    is_crossed_ = !all.refused.empty();
    pieces_ = all.triangles;
  }

  [[nodiscard]] PlaneDivision result() {
    PlaneDivision out;
    out.is_crossed = is_crossed_;
    if (is_crossed_) return out;
    for (const MemberOfPlane& m : members_) {
      out.runs_counter_clockwise.push_back(
          view_.sign * points_.orient2d(m.side[0][0], m.side[1][0], m.side[2][0], view_.axis) > 0);
    }
    if (members_.size() == 1) {
      for (std::size_t i = 0; i < pieces_.size(); ++i) out.pieces.push_back(piece(i));
      return out;
    }
    std::vector<std::vector<std::uint32_t>> members_of(pieces_.size());
    find_sides();
    for (std::uint32_t m = 0; m < members_.size(); ++m) {
      flood(m, out.runs_counter_clockwise[m], members_of);
    }
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      if (members_of[i].empty()) continue;  // between members
      out.pieces.push_back(piece(i));
      out.members_of.push_back(std::move(members_of[i]));
    }
    return out;
  }

 private:
  static PlanarEdge edge(std::uint32_t a, std::uint32_t b) {
    return {std::min(a, b), std::max(a, b)};
  }
  static std::uint64_t key(std::uint32_t from, std::uint32_t to) {
    return std::uint64_t{from} << 32 | to;
  }
  [[nodiscard]] std::uint32_t local(ExactPointId p) const {
    return static_cast<std::uint32_t>(std::lower_bound(ids_.begin(), ids_.end(), p) - ids_.begin());
  }
  [[nodiscard]] std::array<ExactPointId, 3> piece(std::size_t i) const {
    return {ids_[pieces_[i][0]], ids_[pieces_[i][1]], ids_[pieces_[i][2]]};
  }

  // What lies beyond each side of each piece.
  void find_sides() {
    first_side_.assign(ids_.size() + 1, 0);
    for (const auto& piece : pieces_) {
      for (const std::uint32_t v : piece) ++first_side_[v + 1];
    }
    std::partial_sum(first_side_.begin(), first_side_.end(), first_side_.begin());
    sides_.resize(3 * pieces_.size());
    std::vector<std::uint32_t> next(first_side_.begin(), first_side_.end() - 1);
    for (std::uint32_t i = 0; i < pieces_.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) {
        sides_[next[pieces_[i][k]]++] = {pieces_[i][(k + 1) % 3], i};
      }
    }
    beyond_.resize(pieces_.size());
    for (std::uint32_t i = 0; i < pieces_.size(); ++i) {
      for (std::size_t k = 0; k < 3; ++k) {
        beyond_[i][k] = left_of(pieces_[i][(k + 1) % 3], pieces_[i][k]);
      }
    }
    seen_by_.assign(pieces_.size(), kNoIndex);
  }
  // The piece on the left of the way, if any.
  [[nodiscard]] std::uint32_t left_of(std::uint32_t from, std::uint32_t to) const {
    for (std::uint32_t i = first_side_[from]; i < first_side_[from + 1]; ++i) {
      if (sides_[i].to == to) return sides_[i].piece;
    }
    return kNoIndex;
  }

  // All pieces within a member: from its sides inward.
  void flood(std::uint32_t m, bool counter_clockwise,
             std::vector<std::vector<std::uint32_t>>& members_of) {
    std::vector<std::uint64_t> walls;  // as the member has them on its left
    for (const auto& side : members_[m].side) {
      for (std::size_t i = 0; i + 1 < side.size(); ++i) {
        const std::uint32_t a = local(side[i]), b = local(side[i + 1]);
        walls.push_back(counter_clockwise ? key(a, b) : key(b, a));
      }
    }
    std::sort(walls.begin(), walls.end());
    // There and back is no wall.
    std::vector<std::uint64_t> once;
    for (const std::uint64_t w : walls) {
      const std::uint64_t back = w << 32 | w >> 32;
      if (!std::binary_search(walls.begin(), walls.end(), back)) once.push_back(w);
    }
    walls = std::move(once);
    std::vector<std::uint32_t> pending;
    const auto reach = [&](std::uint32_t piece) {
      if (piece == kNoIndex || seen_by_[piece] == m) return;
      seen_by_[piece] = m;
      members_of[piece].push_back(m);
      pending.push_back(piece);
    };
    for (const std::uint64_t w : walls) {
      reach(left_of(static_cast<std::uint32_t>(w >> 32), static_cast<std::uint32_t>(w)));
    }
    while (!pending.empty()) {
      const std::uint32_t piece = pending.back();
      pending.pop_back();
      const auto& corner = pieces_[piece];
      for (std::size_t k = 0; k < 3; ++k) {
        if (!std::binary_search(walls.begin(), walls.end(), key(corner[k], corner[(k + 1) % 3]))) {
          reach(beyond_[piece][k]);
        }
      }
    }
  }

  const ExactPoints& points_;
  const ExactPoints::View& view_;
  std::span<const MemberOfPlane> members_;
  std::vector<ExactPointId> ids_;  // rising
  bool is_crossed_ = false;
  std::vector<std::array<std::uint32_t, 3>> pieces_;
  // Sides of pieces, by the point from which they run.
  struct Side {
    std::uint32_t to, piece;
  };
  std::vector<std::uint32_t> first_side_;
  std::vector<Side> sides_;
  std::vector<std::array<std::uint32_t, 3>> beyond_;
  std::vector<std::uint32_t> seen_by_;
};

}  // namespace

std::vector<std::array<std::uint32_t, 2>> crossing_cuts(const ExactPoints& points,
                                                        const ExactPoints::View& view,
                                                        std::span<const PlaneCut> cuts) {
  std::vector<std::array<std::uint32_t, 2>> found;
  if (cuts.size() < 2) return found;
  std::vector<CutBox> boxes = boxes_of(points, view.axis, cuts);
  // Swept along the axis on which the cuts are shortest against all of them together.
  double length[2] = {0, 0}, low[2], high[2];
  for (int k = 0; k < 2; ++k) {
    low[k] = boxes[0].low[k];
    high[k] = boxes[0].high[k];
    for (const CutBox& b : boxes) {
      length[k] += b.high[k] - b.low[k];
      low[k] = std::min(low[k], b.low[k]);
      high[k] = std::max(high[k], b.high[k]);
    }
  }
  const int by = length[0] * (high[1] - low[1]) <= length[1] * (high[0] - low[0]) ? 0 : 1;
  std::sort(boxes.begin(), boxes.end(), [&](const CutBox& a, const CutBox& b) {
    return a.low[by] != b.low[by] ? a.low[by] < b.low[by] : a.cut < b.cut;
  });
  for (std::size_t i = 0; i < boxes.size(); ++i) {
    const CutBox& a = boxes[i];
    for (std::size_t j = i + 1; j < boxes.size() && boxes[j].low[by] <= a.high[by]; ++j) {
      const CutBox& b = boxes[j];
      if (b.low[1 - by] > a.high[1 - by] || a.low[1 - by] > b.high[1 - by]) continue;
      if (cross(points, view.axis, cuts[a.cut], cuts[b.cut])) {
        found.push_back({std::min(a.cut, b.cut), std::max(a.cut, b.cut)});
      }
    }
  }
  return found;
}

PlaneDivision divide_plane(const ExactPoints& points, const ExactPoints::View& view,
                           std::span<const MemberOfPlane> members, std::span<const PlaneCut> cuts,
                           std::span<const ExactPointId> points_in) {
  return Division(points, view, members, cuts, points_in).result();
}

}  // namespace aguja
