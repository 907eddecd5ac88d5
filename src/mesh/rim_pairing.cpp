#include "aguja/mesh/rim_pairing.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <span>
#include <unordered_map>

#include "aguja/base/parallel.h"
#include "aguja/geometry/capsule_tree.h"
#include "base/disjoint_sets.h"
#include "base/numbers.h"
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

// Pieces that face each other run along each other within 60 degrees.
constexpr double kLeastCosine = 0.5;
// Triangles within 15 degrees of lying back to back are the faces of a thin wall.
constexpr double kFoldCosine = 0.966;
// An overlap shorter than this part of the shorter edge is noise at their ends.
constexpr double kLeastOverlap = 0.05;
// Candidates are looked for within this many times the distance of the nearest one.
constexpr double kReachFactor = 3.0;
// Of so many naked edges about one vertex each looks at those only that run most nearly as it does.
constexpr std::size_t kManyAboutAVertex = 64;
constexpr std::size_t kLookedAtAboutAVertex = 16;
constexpr std::size_t kFewWithinReach = 64;
// Where so many crowd that a search would take longer, what it found by then must do.
constexpr std::size_t kMostPairingNodes = 1024;
// A look at all within reach that takes longer gives way to searches for the nearest.
constexpr std::size_t kFewPairingNodes = 256;

// Squares beyond this are not distances.
constexpr double kLargest = 1e300;

double clamp01(double t) { return std::clamp(t, 0.0, 1.0); }

// Everything that the tests ask of a naked edge.
struct FacingSide {
  Point a, b;
  Vector along;   // unit
  Vector inward;  // unit: from the edge into its triangle
  double length;

  [[nodiscard]] Point at(double t) const { return a + t * (b - a); }
  [[nodiscard]] double project(const Point& p) const { return along.dot(p - a) / length; }
  [[nodiscard]] double squared_distance(const Point& p) const {
    return (p - at(clamp01(project(p)))).squaredNorm();
  }
};

FacingSide side_of(const Welded& mesh, const NakedEdge& e) {
  FacingSide s;
  s.a = mesh.point(e.from);
  s.b = mesh.point(e.to);
  s.length = (s.b - s.a).norm();
  s.along = (s.b - s.a) / s.length;
  const Vector to_apex = mesh.point(e.apex) - s.a;
  const Vector across = to_apex - s.along.dot(to_apex) * s.along;
  const double width = across.norm();
  s.inward = width > 0 ? Vector(across / width) : Vector(Vector::Zero());
  return s;
}

std::vector<NakedEdge> naked_edges(const Welded& mesh, const EdgeTable& edges,
                                   const Components& components) {
  std::vector<NakedEdge> naked;
  for (const EdgeId e : select_edges(edges, [&](EdgeId id) { return edges.is_naked(id); })) {
    const EdgeUse use = edges.uses(e)[0];
    const Triangle& t = mesh.triangle(use.triangle());
    const unsigned c = use.corner();
    naked.push_back({e, t[c], t[(c + 1) % 3], t[(c + 2) % 3], use.triangle(),
                     components.shell_of[use.triangle().value]});
  }
  return naked;
}

enum class Fit { no, feature, yes };

class Pairer {
 public:
  Pairer(const Welded& mesh, RimPairing& pairing, double reach)
      : naked_(pairing.naked), pairing_(pairing), reach_(reach) {
    sides_.reserve(naked_.size());
    std::vector<CapsuleTree::Segment> segments;
    segments.reserve(naked_.size());
    for (const NakedEdge& e : naked_) {
      sides_.push_back(side_of(mesh, e));
      segments.push_back(
          {sides_.back().a, sides_.back().b, e.component.value, {e.from.value, e.to.value}});
    }
    tree_ = CapsuleTree(segments);
  }

  void run() {
    const std::vector<double> reach_of = reaches();
    std::vector<Candidate> candidates =
        parallel_collect<Candidate>(naked_.size(), 256, [&](Range r, std::vector<Candidate>& out) {
          for (std::size_t i = r.begin; i < r.end; ++i) {
            collect(static_cast<std::uint32_t>(i), reach_of, out);
          }
        });
    collect_neighbours(candidates);
    parallel_sort(candidates.begin(), candidates.end());
    // Both edges may have found the pair.
    candidates.erase(std::unique(candidates.begin(), candidates.end()), candidates.end());
    accept(candidates);
  }

 private:
  struct Candidate {
    double width;
    std::uint32_t i, j;
    friend auto operator<=>(const Candidate&, const Candidate&) = default;
  };

  [[nodiscard]] bool are_neighbours(std::uint32_t i, std::uint32_t j) const {
    const NakedEdge &e = naked_[i], &f = naked_[j];
    return e.from == f.from || e.from == f.to || e.to == f.from || e.to == f.to;
  }

  // Could pieces of the two be the sides of a crack, whatever their distance?
  [[nodiscard]] Fit fit(std::uint32_t i, std::uint32_t j) const {
    const NakedEdge &e = naked_[i], &f = naked_[j];
    const FacingSide &s = sides_[i], &t = sides_[j];
    if (e.triangle == f.triangle) return Fit::no;
    const double cosine = s.along.dot(t.along);
    if (std::fabs(cosine) < kLeastCosine) return Fit::no;
    // On one component both sides run opposite ways.
    if (cosine > 0 && e.component == f.component) return Fit::no;
    const Vector offset = t.at(0.5) - s.at(0.5);
    const Vector across = offset - s.along.dot(offset) * s.along;
    const double width = across.norm();
    if (width == 0) return Fit::yes;
    if (s.inward.dot(t.inward) > kFoldCosine) return Fit::feature;
    const bool strip = e.apex == f.from || e.apex == f.to || f.apex == e.from || f.apex == e.to;
    if (strip && !are_neighbours(i, j) && s.inward.dot(across) > 0.5 * width) return Fit::feature;
    return Fit::yes;
  }

  [[nodiscard]] bool may_face(std::uint32_t i, std::uint32_t j) const {
    return j != i && !are_neighbours(i, j) && fit(i, j) == Fit::yes;
  }
  // False only if `may_face` is for all that have this in common.
  [[nodiscard]] bool may_face_any(std::uint32_t i, const CapsuleTree::Common& common) const {
    const NakedEdge& e = naked_[i];
    for (const std::uint32_t v : common.ends) {
      if (v == e.from.value || v == e.to.value) return false;
    }
    constexpr double kSlack = 1e-12;
    const Vector& d = sides_[i].along;
    double least = 0, largest = 0;  // cosine
    for (std::size_t k = 0; k < 3; ++k) {
      const double own = d[static_cast<Eigen::Index>(k)];
      const double p = own * static_cast<double>(common.along.low[k]);
      const double q = own * static_cast<double>(common.along.high[k]);
      least += std::min(p, q);
      largest += std::max(p, q);
    }
    if (least <= -kLeastCosine + kSlack) return true;
    return common.group != naked_[i].component.value && largest >= kLeastCosine - kSlack;
  }
  // Of the edges that fit, the nearest to each of three places: the farthest of these distances.
  [[nodiscard]] double farthest_nearest(std::uint32_t i) const {
    constexpr std::array<double, 3> kPlaces = {0.1, 0.5, 0.9};
    const double limit = std::min(reach_ * reach_, kLargest);
    const auto admits = [&](const CapsuleTree::Common& c) { return may_face_any(i, c); };
    std::array<double, 3> nearest;
    nearest.fill(kInfinity);
    // Mostly few are within reach: they are all looked at, on one way through the tree.
    bool are_all = reach_ <= sides_[i].length;
    if (are_all) {
      std::size_t looked = 0;
      are_all = tree_.for_each_near(
          sides_[i].a, sides_[i].b, reach_, admits,
          [&](std::uint32_t j) {
            if (!may_face(i, j)) return true;
            for (std::size_t k = 0; k < kPlaces.size(); ++k)
              nearest[k] =
                  std::min(nearest[k], sides_[j].squared_distance(sides_[i].at(kPlaces[k])));
            return ++looked < kFewWithinReach;
          },
          kFewPairingNodes);
    }
    if (!are_all) {
      for (std::size_t k = 0; k < kPlaces.size(); ++k) {
        const Point p = sides_[i].at(kPlaces[k]);
        const auto squared = [&](std::uint32_t j) {
          return may_face(i, j) ? sides_[j].squared_distance(p) : kInfinity;
        };
        const std::uint32_t near = tree_.nearest(p, limit, admits, squared, kMostPairingNodes);
        if (near != CapsuleTree::kNone) nearest[k] = sides_[near].squared_distance(p);
      }
    }
    double farthest = 0;
    for (const double squared : nearest) {
      if (squared <= limit) farthest = std::max(farthest, std::sqrt(squared));
    }
    return farthest;
  }

  // How far to look from each edge: a few times as far as the nearest edge that fits.
  [[nodiscard]] std::vector<double> reaches() const {
    std::vector<double> reach(naked_.size());
    parallel_ranges(naked_.size(), 256, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        const auto own = static_cast<std::uint32_t>(i);
        reach[i] = std::min(reach_, kReachFactor * farthest_nearest(own));
      }
    });
    return reach;
  }

  void collect(std::uint32_t i, const std::vector<double>& reach_of,
               std::vector<Candidate>& out) const {
    const double reach = reach_of[i];
    tree_.for_each_near(
        sides_[i].a, sides_[i].b, reach,
        [&](const CapsuleTree::Common& c) { return may_face_any(i, c); },
        [&](std::uint32_t j) {
          // A lower edge that looks as far has found the pair itself.
          if (i == j || (j < i && reach_of[j] >= reach) || are_neighbours(i, j)) return true;
          consider(i, j, out);
          return true;
        },
        kMostPairingNodes);
  }

  void consider(std::uint32_t i, std::uint32_t j, std::vector<Candidate>& out) const {
    const Fit how = fit(i, j);
    if (how == Fit::no) return;
    const auto pair = facing(std::min(i, j), std::max(i, j));
    if (!pair) return;
    const double width = pair->width();
    out.push_back({how == Fit::feature ? -width : width * (pair->same_way ? 1.5 : 1.0),
                   std::min(i, j), std::max(i, j)});
  }

  // Slits need their last edges, which have each other for neighbours and nothing else near.
  void collect_neighbours(std::vector<Candidate>& out) const {
    struct End {
      std::uint32_t vertex, naked;
      auto operator<=>(const End&) const = default;
    };
    std::vector<End> ends;
    ends.reserve(2 * naked_.size());
    for (std::uint32_t i = 0; i < naked_.size(); ++i) {
      ends.push_back({naked_[i].from.value, i});
      ends.push_back({naked_[i].to.value, i});
    }
    parallel_sort(ends.begin(), ends.end());
    std::vector<std::size_t> first;  // of each vertex
    for (std::size_t k = 0; k < ends.size(); ++k) {
      if (k == 0 || ends[k].vertex != ends[k - 1].vertex) first.push_back(k);
    }
    const auto about = [&](std::size_t i) {
      return std::span(ends).subspan(
          first[i], (i + 1 < first.size() ? first[i + 1] : ends.size()) - first[i]);
    };
    const auto found = parallel_collect<Candidate>(
        first.size(), 1024, [&](Range r, std::vector<Candidate>& pairs) {
          for (std::size_t i = r.begin; i < r.end; ++i) {
            const std::span<const End> own = about(i);
            if (own.size() > kManyAboutAVertex) continue;
            for (std::size_t k = 0; k < own.size(); ++k) {
              for (std::size_t l = k + 1; l < own.size(); ++l) {
                consider(own[k].naked, own[l].naked, pairs);
              }
            }
          }
        });
    out.insert(out.end(), found.begin(), found.end());
    for (std::size_t i = 0; i < first.size(); ++i) {
      if (about(i).size() <= kManyAboutAVertex) continue;
      std::vector<std::uint32_t> bundle;
      for (const End& end : about(i)) bundle.push_back(end.naked);
      consider_bundle(ends[first[i]].vertex, bundle, out);
    }
  }
  // Edges about one vertex: the nearest by direction. Sides of a slit leave it within 60 degrees of
  // each other; of one component one of them runs towards it, the other away.
  void consider_bundle(std::uint32_t vertex, std::span<const std::uint32_t> about,
                       std::vector<Candidate>& out) const {
    const auto leaves = [&](std::uint32_t i) { return naked_[i].from.value == vertex; };
    const auto away = [&](std::uint32_t i) -> Vector {
      return leaves(i) ? sides_[i].along : Vector(-sides_[i].along);
    };
    // Pieces of spokes at their ends: whole ones would all be near at the hub.
    constexpr double kNearRim = 0.99;
    struct Spokes {
      std::vector<std::uint32_t> naked;
      std::vector<CapsuleTree::Segment> ends;
      CapsuleTree tree;
    };
    std::array<Spokes, 2> by_way;  // those that run towards the vertex; those that leave it
    for (const std::uint32_t i : about) {
      Spokes& own = by_way[leaves(i) ? 1 : 0];
      own.naked.push_back(i);
      own.ends.push_back({away(i),
                          kNearRim * away(i),
                          naked_[i].component.value,
                          {CapsuleTree::kNone, CapsuleTree::kNone}});
    }
    for (Spokes& s : by_way) s.tree = CapsuleTree(s.ends);
    const double farthest = 2 - 2 * kLeastCosine;  // squared, of unit vectors
    const auto found =
        parallel_collect<Candidate>(about.size(), 64, [&](Range r, std::vector<Candidate>& pairs) {
          for (std::size_t k = r.begin; k < r.end; ++k) {
            const std::uint32_t i = about[k];
            std::vector<std::pair<double, std::uint32_t>> nearest;  // a heap, the farthest first
            for (const bool same_way : {false, true}) {
              const Spokes& others = by_way[leaves(i) == same_way ? 1 : 0];
              const auto looks_at = [&](std::uint32_t other) {
                const std::uint32_t j = others.naked[other];
                if (j == i || fit(i, j) == Fit::no) return kInfinity;
                nearest.emplace_back((away(j) - away(i)).squaredNorm(), j);
                std::push_heap(nearest.begin(), nearest.end());
                if (nearest.size() <= kLookedAtAboutAVertex) return kInfinity;
                std::pop_heap(nearest.begin(), nearest.end());
                nearest.pop_back();
                return nearest.front().first;
              };
              const double limit = nearest.size() < kLookedAtAboutAVertex
                                       ? farthest
                                       : std::min(farthest, nearest.front().first);
              static_cast<void>(others.tree.nearest(
                  away(i), limit,
                  [&](const CapsuleTree::Common& c) {
                    return !same_way || c.group != naked_[i].component.value;
                  },
                  looks_at));
            }
            for (const auto& [squared, j] : nearest) consider(i, j, pairs);
          }
        });
    out.insert(out.end(), found.begin(), found.end());
  }

  // The pieces that lie side by side within reach.
  [[nodiscard]] std::optional<FacingPair> facing(std::uint32_t i, std::uint32_t j) const {
    const FacingSide &s = sides_[i], &t = sides_[j];
    const bool same_way = s.along.dot(t.along) > 0;
    // The ends of t as seen from s, in the direction of s; where one lies beyond s, its end counts.
    const double t_first = same_way ? 0 : 1;
    const double p = s.project(t.at(t_first));
    const double q = s.project(t.at(1 - t_first));
    double begin = std::max(0.0, p);
    double end = std::min(1.0, q);
    if ((end - begin) * s.length < kLeastOverlap * std::min(s.length, t.length)) {
      return std::nullopt;
    }
    double x = p >= 0 ? t_first : clamp01(t.project(s.a));
    double y = q <= 1 ? 1 - t_first : clamp01(t.project(s.b));
    const auto width_at = [&](double on_s, double on_t) {
      return (s.at(on_s) - t.at(on_t)).norm();
    };
    double from = width_at(begin, x);
    double to = width_at(end, y);
    if (std::min(from, to) > reach_) return std::nullopt;
    if (std::max(from, to) > reach_) {
      // Of neighbours the whole of the shorter one must be within reach: else it is a corner.
      if (are_neighbours(i, j)) return std::nullopt;
      const double limit = begin + (end - begin) * (reach_ - from) / (to - from);
      (from > to ? begin : end) = limit;
      (from > to ? x : y) = clamp01(t.project(s.at(limit)));
      from = width_at(begin, x);
      to = width_at(end, y);
    }
    if (x == y) return std::nullopt;
    return FacingPair{{i, begin, end}, {j, std::min(x, y), std::max(x, y)}, from, to, same_way};
  }

  void accept(const std::vector<Candidate>& candidates) {
    std::vector<std::vector<std::pair<double, double>>> taken(naked_.size());
    double feature = kInfinity;
    for (const Candidate& c : candidates) {
      if (c.width < 0) {
        feature = std::min(feature, -c.width);
        continue;
      }
      const auto pair = facing(c.i, c.j);
      if (!pair) continue;
      if (free_part(taken[c.i], pair->first) < 0.5 || free_part(taken[c.j], pair->second) < 0.5) {
        continue;
      }
      taken[c.i].emplace_back(pair->first.begin, pair->first.end);
      taken[c.j].emplace_back(pair->second.begin, pair->second.end);
      pairing_.pairs.push_back(*pair);
    }
    pairing_.narrowest_feature = feature;
  }

  // The part of the piece that is not taken yet, 0..1.
  static double free_part(const std::vector<std::pair<double, double>>& taken,
                          const RimPiece& piece) {
    double covered = 0;
    for (const auto& [begin, end] : taken) {
      covered += std::max(0.0, std::min(end, piece.end) - std::max(begin, piece.begin));
    }
    return 1 - covered / (piece.end - piece.begin);
  }

  const std::vector<NakedEdge>& naked_;
  RimPairing& pairing_;
  double reach_;
  std::vector<FacingSide> sides_;
  CapsuleTree tree_;
};

// Does what faces the begin of a piece lie inside of its edge? Each such place begins one piece.
bool hangs(double begin, double length, double shorter) {
  return std::min(begin, 1 - begin) * length > kMergeFraction * shorter;
}

double median_width(std::vector<std::pair<double, double>> width_and_length) {
  std::sort(width_and_length.begin(), width_and_length.end());
  double total = 0;
  for (const auto& [width, length] : width_and_length) total += length;
  double walked = 0;
  for (const auto& [width, length] : width_and_length) {
    walked += length;
    if (2 * walked >= total) return width;
  }
  return 0;
}

}  // namespace

RimPairing pair_rims(const Welded& mesh, const EdgeTable& edges, const Components& components,
                     double reach) {
  RimPairing pairing{naked_edges(mesh, edges, components), {}, kInfinity};
  if (!pairing.naked.empty()) Pairer(mesh, pairing, reach).run();
  return pairing;
}

std::vector<Stretch> stretches_of(const Welded& mesh, const RimPairing& pairing) {
  // Pairs follow each other if both sides go on: over a common edge or a common vertex.
  struct Entry {
    std::uint64_t low, high;  // what the pair touches on either side
    std::uint32_t pair;
    auto operator<=>(const Entry&) const = default;
  };
  constexpr std::uint64_t kVertex = std::uint64_t{1} << 40;
  std::vector<Entry> entries;
  entries.reserve(9 * pairing.pairs.size());
  for (std::uint32_t i = 0; i < pairing.pairs.size(); ++i) {
    const FacingPair& pair = pairing.pairs[i];
    const NakedEdge& e = pairing.naked[pair.first.naked];
    const NakedEdge& f = pairing.naked[pair.second.naked];
    for (const std::uint64_t a :
         {kVertex | e.from.value, kVertex | e.to.value, std::uint64_t{pair.first.naked}}) {
      for (const std::uint64_t b :
           {kVertex | f.from.value, kVertex | f.to.value, std::uint64_t{pair.second.naked}}) {
        entries.push_back({std::min(a, b), std::max(a, b), i});
      }
    }
  }
  parallel_sort(entries.begin(), entries.end());
  DisjointSets sets(pairing.pairs.size());
  for (std::size_t k = 1; k < entries.size(); ++k) {
    const bool same =
        entries[k].low == entries[k - 1].low && entries[k].high == entries[k - 1].high;
    if (same) sets.unite(entries[k - 1].pair, entries[k].pair);
  }

  std::vector<Stretch> stretches;
  std::vector<std::vector<std::pair<double, double>>> widths;
  std::unordered_map<std::uint32_t, std::size_t> number;
  for (std::uint32_t i = 0; i < pairing.pairs.size(); ++i) {
    const auto [at, is_new] = number.try_emplace(sets.find(i), stretches.size());
    if (is_new) {
      stretches.emplace_back().least_width = kInfinity;
      widths.emplace_back();
    }
    Stretch& s = stretches[at->second];
    const FacingPair& pair = pairing.pairs[i];
    const NakedEdge& e = pairing.naked[pair.first.naked];
    const Point& from = mesh.point(e.from);
    const Vector edge = mesh.point(e.to) - from;
    const Point a = from + pair.first.begin * edge;
    const Point b = from + pair.first.end * edge;
    const double length = (b - a).norm();
    s.pairs.push_back(i);
    s.place = s.length == 0 ? Point(0.5 * (a + b)) : s.place;
    s.length += length;
    s.least_width = std::min({s.least_width, pair.width_begin, pair.width_end});
    s.largest_width = std::max(s.largest_width, pair.largest_width());
    s.box.extend(a);
    s.box.extend(b);
    widths[at->second].emplace_back(pair.width(), length);
    const NakedEdge& f = pairing.naked[pair.second.naked];
    const double other = (mesh.point(f.to) - mesh.point(f.from)).norm();
    const double shorter = std::min(edge.norm(), other);
    s.hanging += hangs(pair.first.begin, edge.norm(), shorter);
    s.hanging += hangs(pair.second.begin, other, shorter);
  }
  for (std::size_t s = 0; s < stretches.size(); ++s) {
    stretches[s].median_width = median_width(std::move(widths[s]));
  }
  return stretches;
}

}  // namespace aguja
