#include "mesh/patch_recogniser.h"

#include <algorithm>
#include <cmath>
#include <unordered_set>

#include <Eigen/Geometry>

#include "aguja/base/parallel.h"
#include "base/numbers.h"
#include "base/parallel_algorithms.h"

namespace aguja {
namespace {

// The sine between normals of one plane, beside what the fit allows: a tenth of a millimetre in a metre.
constexpr double kFlatSine = 1e-4;
// How far a first guess may be off to be worth a try, as a part of the extent of its points.
constexpr double kGuess = 0.03, kSphereGuess = 1e-4;
// A surface that moves by a smaller part of the fit reaches no farther.
constexpr double kSettledPart = 0.02;
// Normals must differ by this sine to give the direction of an axis.
constexpr double kLeastAxisSine = 1e-3;

// A surface ends abruptly if what comes next is so many times the fit away from it.
constexpr double kAbrupt = 6;
// Facets that a curved surface must explain, and triangles, before it is believed.
constexpr std::size_t kFewestFacets = 4;
constexpr std::size_t kFewestOfTorus = 12;
// Vertices inside of a curved surface that make it known without looking at its border.
constexpr std::size_t kFewestInside = 3;

}  // namespace

class PatchRecogniser::Work {
 public:
  explicit Work(double fit) : fit_(fit) {}

  RecognisedPiece recognise(const SmoothPiece& piece) {
    piece_ = piece;
    result_ = {};
    result_.patch_of.assign(piece.triangles.size(), PatchId{kNoIndex});
    find_facets();
    // Again with what was found in mind: bands are known by what they lie between.
    for (pass_ = 0; pass_ < kPasses; ++pass_) {
      fruitless_ = 1;
      for (const std::uint32_t f : facet_order_) {
        if (is_free(facets_[f].first)) claim_from(f, pass_ == 1);
      }
      std::fill(tried_.begin(), tried_.end(), false);
    }
    gather_rest();
    return std::move(result_);
  }

 private:
  static constexpr int kPasses = 2;
  struct GrownRegion {
    std::vector<std::uint32_t> triangles;
    double area = 0;
  };
  struct Facet {
    std::uint32_t first;  // a triangle of it
    std::uint32_t count;
    float area;
  };

  [[nodiscard]] const Point& corner(std::uint32_t t, std::size_t c) const {
    return piece_.points[piece_.triangles[t][c].value];
  }
  [[nodiscard]] Point middle(std::uint32_t t) const {
    return (corner(t, 0) + corner(t, 1) + corner(t, 2)) / 3.0;
  }
  [[nodiscard]] bool is_free(std::uint32_t t) const {
    return result_.patch_of[t].value == kNoIndex;
  }

  [[nodiscard]] bool lies_on(const Primitive& s, std::uint32_t t) const {
    for (std::size_t c = 0; c < 3; ++c) {
      if (std::fabs(s.distance(corner(t, c))) > fit_) return false;
    }
    return true;
  }

  // Numbers 0 to n by falling `area_at`, equal ones in their order.
  template <class AreaAt>
  static std::vector<std::uint32_t> largest_first(std::size_t n, const AreaAt& area_at) {
    std::vector<std::uint64_t> keys(n);
    parallel_ranges(n, 1 << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) {
        keys[i] = std::uint64_t{falling_key(area_at(i))} << 32 | i;
      }
    });
    parallel_sort(keys.begin(), keys.end());
    std::vector<std::uint32_t> order(n);
    parallel_ranges(n, 1 << 14, [&](Range r) {
      for (std::size_t i = r.begin; i < r.end; ++i) order[i] = static_cast<std::uint32_t>(keys[i]);
    });
    return order;
  }

  // ---- Facets: what lies in one plane.

  [[nodiscard]] double height(std::uint32_t t) const {
    const double longest = std::sqrt(std::max({(corner(t, 1) - corner(t, 0)).squaredNorm(),
                                               (corner(t, 2) - corner(t, 1)).squaredNorm(),
                                               (corner(t, 0) - corner(t, 2)).squaredNorm()}));
    return longest > 0 ? 2 * static_cast<double>(piece_.areas[t]) / longest : 0;
  }
  // A triangle's own normal is only as good as its height allows.
  [[nodiscard]] bool agrees(const Vector& n, std::uint32_t t) const {
    const double sine = n.cross(piece_.normals[t].cast<double>()).norm();
    return sine <= kFlatSine + 3 * fit_ / std::max(height(t), kSomeLength);
  }

  void find_facets() {
    const std::size_t n = piece_.triangles.size();
    facet_of_.assign(n, kNoIndex);
    facets_.clear();
    GrownRegion region;
    for (const std::uint32_t seed :
         largest_first(n, [&](std::size_t t) { return piece_.areas[t]; })) {
      if (facet_of_[seed] != kNoIndex) continue;
      const auto id = static_cast<std::uint32_t>(facets_.size());
      Primitive plane{PrimitiveKind::plane, middle(seed), piece_.normals[seed].cast<double>(), 0,
                      0};
      // Double precision again: floats would tilt a large plane.
      const Vector cross =
          (corner(seed, 1) - corner(seed, 0)).cross(corner(seed, 2) - corner(seed, 0));
      if (cross.norm() > 0) plane.axis = cross.normalized();
      Facet facet{seed, 0, 0};
      facet_of_[seed] = id;
      region.triangles.assign(1, seed);
      // The first triangle may be small or thin: with more of them the plane is known better, and
      // reaches farther.
      constexpr int kMostRounds = 8;
      for (int round = 0; round < kMostRounds; ++round) {
        const std::size_t before = region.triangles.size();
        for (std::size_t i = 0; i < region.triangles.size(); ++i) {
          const std::uint32_t t = region.triangles[i];
          for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t other = piece_.neighbours[t][k];
            if (other == kNoIndex || facet_of_[other] != kNoIndex) continue;
            if (std::fabs(plane.distance(apex(other, t, k))) > fit_ ||
                !(piece_.normals[other].isZero() || agrees(plane.axis, other))) {
              continue;
            }
            facet_of_[other] = id;
            region.triangles.push_back(other);
          }
        }
        const std::size_t now = region.triangles.size();
        if (now < 3 || (round > 0 && now == before)) break;
        const auto fitted = fit_plane(sample(region));
        if (!fitted) break;
        // What was taken must stay.
        const auto off = [&](std::uint32_t t) { return !lies_on(*fitted, t); };
        if (std::any_of(region.triangles.begin(), region.triangles.end(), off)) break;
        plane.origin = fitted->origin;
        plane.axis = fitted->axis.dot(plane.axis) < 0 ? Vector(-fitted->axis) : fitted->axis;
      }
      for (const std::uint32_t t : region.triangles) {
        ++facet.count;
        facet.area += piece_.areas[t];
      }
      facets_.push_back(facet);
    }
    facet_order_ = largest_first(facets_.size(), [&](std::size_t f) { return facets_[f].area; });
    seen_.assign(n, 0);
    vertex_seen_.assign(piece_.points.size(), 0);
    tried_.assign(n, false);
    stamp_ = 0;
  }

  // The corner of `other` that is not on side `k` of `t`.
  [[nodiscard]] const Point& apex(std::uint32_t other, std::uint32_t t, std::size_t k) const {
    const Triangle& own = piece_.triangles[t];
    for (const VertexId v : piece_.triangles[other].corner) {
      if (v != own[k] && v != own[(k + 1) % 3]) return piece_.points[v.value];
    }
    return corner(other, 0);
  }

  // Triangles that `take(t, apex)` accepts, from `seed` on; the other two corners are those of a
  // triangle that was accepted.
  template <class Take>
  GrownRegion grow(std::uint32_t seed, const Take& take) {
    ++stamp_;
    GrownRegion region;
    region.triangles = {seed};
    seen_[seed] = stamp_;
    // Breadth first: neighbours lie near each other in memory.
    for (std::size_t i = 0; i < region.triangles.size(); ++i) {
      const std::uint32_t t = region.triangles[i];
      region.area += static_cast<double>(piece_.areas[t]);
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t other = piece_.neighbours[t][k];
        if (other == kNoIndex || seen_[other] == stamp_ || !is_free(other)) continue;
        if (!take(other, apex(other, t, k))) continue;
        seen_[other] = stamp_;
        region.triangles.push_back(other);
      }
    }
    return region;
  }

  // ---- Curved surfaces

  // A facet with those around it, the one with the longest common border first: along a cylinder
  // that is the next strip, not what the cylinder ends on.
  struct Ring {
    std::vector<std::uint32_t> triangles;
    std::vector<Point> points;
    std::vector<std::size_t> points_of;  // by facet: where its new points end
    std::vector<Point> feet;             // by facet: its middle
    std::vector<Vector> normals;         // by facet
  };
  Ring ring_about(std::uint32_t facet, std::size_t most_facets) {
    struct Next {
      std::uint32_t facet;
      std::uint32_t entry;
      double border;
    };
    Ring ring;
    const std::uint32_t known_vertex = ++stamp_;
    std::vector<Next> queue = {{facet, facets_[facet].first, 0}};
    std::vector<std::uint32_t> own;
    for (std::size_t at = 0; at < queue.size() && at < most_facets; ++at) {
      // Large facets belong to planes; a few triangles tell enough of them.
      constexpr std::size_t kMostOfFacet = 48;
      ++stamp_;
      own = {queue[at].entry};
      seen_[own[0]] = stamp_;
      const std::size_t known = queue.size();
      Vector sum = Vector::Zero();
      double area = 0;
      for (std::size_t i = 0; i < own.size() && i < kMostOfFacet; ++i) {
        const std::uint32_t t = own[i];
        ring.triangles.push_back(t);
        const auto a = static_cast<double>(piece_.areas[t]);
        sum += a * middle(t);
        area += a;
        for (std::size_t c = 0; c < 3; ++c) {
          const VertexId v = piece_.triangles[t][c];
          if (vertex_seen_[v.value] == known_vertex) continue;
          vertex_seen_[v.value] = known_vertex;
          ring.points.push_back(piece_.points[v.value]);
        }
        for (std::size_t k = 0; k < 3; ++k) {
          const std::uint32_t other = piece_.neighbours[t][k];
          if (other == kNoIndex || !is_free(other)) continue;
          if (facet_of_[other] == queue[at].facet) {
            if (seen_[other] != stamp_) own.push_back(other);
            seen_[other] = stamp_;
            continue;
          }
          const double border = (corner(t, (k + 1) % 3) - corner(t, k)).norm();
          const auto in = std::find_if(queue.begin(), queue.end(), [&](const Next& next) {
            return next.facet == facet_of_[other];
          });
          if (in == queue.end()) {
            queue.push_back({facet_of_[other], other, border});
          } else if (in - queue.begin() >= static_cast<std::ptrdiff_t>(known)) {
            in->border += border;
          }
        }
      }
      std::stable_sort(queue.begin() + static_cast<std::ptrdiff_t>(known), queue.end(),
                       [](const Next& a, const Next& b) { return a.border > b.border; });
      ring.points_of.push_back(ring.points.size());
      ring.feet.push_back(area > 0 ? Point(sum / area) : middle(own[0]));
      ring.normals.push_back(piece_.normals[own[0]].cast<double>());
    }
    return ring;
  }

  // Does the facet turn with the surface? One that cuts across it (a lid whose corners all lie on
  // the cylinder) does not.
  [[nodiscard]] bool turns_with(const Primitive& s, double side, std::uint32_t t) const {
    if (piece_.normals[t].isZero()) return true;
    constexpr double kCosine = 0.85;
    return side * s.normal(middle(t)).dot(piece_.normals[t].cast<double>()) >= kCosine;
  }

  struct Candidate {
    Primitive surface;
    GrownRegion region;
  };

  // Grows, refits to what was found, and grows again, until it gets no further.
  std::optional<Candidate> follow(Primitive surface, std::uint32_t seed,
                                  std::span<const Point> start) {
    // A guess that is far off is none.
    // Spheres are found by linear equations: those of true ones are as good as the points.
    const double extent = box_of(start).diagonal();
    const double off = largest_distance(surface, start);
    if (off > (surface.kind == PrimitiveKind::sphere ? kSphereGuess : kGuess) * extent + 4 * fit_) {
      return std::nullopt;
    }
    constexpr int kFewSteps = 6;
    const auto first = refine(surface, thinned(start), kFewSteps);
    if (!first || largest_distance(*first, start) > 2 * fit_) return std::nullopt;
    surface = *first;
    std::size_t last = 0;
    std::optional<Candidate> best;
    constexpr int kMostRounds = 24;
    for (int round = 0; round < kMostRounds; ++round) {
      if (!lies_on(surface, seed)) break;
      const double side =
          surface.normal(middle(seed)).dot(piece_.normals[seed].cast<double>()) >= 0 ? 1 : -1;
      GrownRegion region = grow(seed, [&](std::uint32_t t, const Point& added) {
        return std::fabs(surface.distance(added)) <= fit_ && turns_with(surface, side, t);
      });
      const std::size_t count = region.triangles.size();
      if (count <= last) break;
      last = count;
      best = Candidate{surface, std::move(region)};
      const std::vector<Point> known = sample(best->region);
      const auto next = refine(surface, known);
      if (!next) break;
      // Where it hardly changes it reaches no farther.
      const bool settled = std::all_of(known.begin(), known.end(), [&](const Point& p) {
        return std::fabs(next->distance(p) - surface.distance(p)) < kSettledPart * fit_;
      });
      if (settled) break;
      surface = *next;
    }
    return best;
  }

  [[nodiscard]] static std::vector<Point> thinned(std::span<const Point> points) {
    const std::size_t step = points.size() / kMostFitted + 1;
    std::vector<Point> kept;
    for (std::size_t i = 0; i < points.size(); i += step) kept.push_back(points[i]);
    return kept;
  }
  [[nodiscard]] std::vector<Point> sample(const GrownRegion& region) const {
    std::vector<Point> points;
    const std::size_t n = region.triangles.size();
    const std::size_t step = std::max<std::size_t>(1, 3 * n / kMostFitted);
    for (std::size_t i = 0; i < n; i += step) {
      for (std::size_t c = 0; c < (step > 1 ? 1U : 3U); ++c) {
        points.push_back(corner(region.triangles[i], (i + c) % 3));
      }
    }
    return points;
  }

  // Enough of the surface, and ending for a reason: at a sharp edge, at another patch, or where the
  // next vertex is clearly off. A surface that fits by chance ends gradually.
  [[nodiscard]] bool is_believable(const Candidate& c) {
    std::unordered_set<std::uint32_t> facets;
    for (const std::uint32_t t : c.region.triangles) {
      facets.insert(facet_of_[t]);
      if (facets.size() > kFewestOfTorus) break;
    }
    const std::size_t fewest = c.surface.kind == PrimitiveKind::torus    ? kFewestOfTorus
                               : c.surface.kind == PrimitiveKind::sphere ? 2 * kFewestFacets
                                                                         : kFewestFacets;
    if (facets.size() < fewest) return false;
    ++stamp_;
    for (const std::uint32_t t : c.region.triangles) seen_[t] = stamp_;
    double abrupt = 0;
    double gradual = 0;
    double ended = 0;
    for (const std::uint32_t t : c.region.triangles) {
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t other = piece_.neighbours[t][k];
        if (other != kNoIndex && seen_[other] == stamp_) continue;
        const Triangle& triangle = piece_.triangles[t];
        vertex_seen_[triangle[k].value] = vertex_seen_[triangle[(k + 1) % 3].value] = stamp_;
        const double length = (corner(t, (k + 1) % 3) - corner(t, k)).norm();
        bool clear = other == kNoIndex || !is_free(other);
        if (clear) ended += length;
        for (std::size_t v = 0; v < 3 && !clear; ++v) {
          clear = std::fabs(c.surface.distance(corner(other, v))) > kAbrupt * fit_;
        }
        (clear ? abrupt : gradual) += length;
      }
    }
    if (abrupt < gradual) return false;
    // Any band between two circles about one axis lies on a cone and on a sphere. Without vertices
    // inside, a surface must end where something else is known to begin.
    std::size_t inside = 0;
    for (const std::uint32_t t : c.region.triangles) {
      for (const VertexId v : piece_.triangles[t].corner) {
        if (vertex_seen_[v.value] == stamp_) continue;
        vertex_seen_[v.value] = stamp_;
        ++inside;
      }
      if (inside >= kFewestInside) return true;
    }
    const double share = ended / (abrupt + gradual);
    return (c.surface.kind == PrimitiveKind::cylinder && share >= 0.4) ||
           (c.surface.kind == PrimitiveKind::cone && share >= 0.7);
  }

  std::optional<Candidate> best_curved(std::uint32_t facet) {
    constexpr std::size_t kNear = 5, kWide = 16;
    const Ring ring = ring_about(facet, kWide);
    if (ring.normals.size() < 2) return std::nullopt;
    const std::size_t near = std::min(kNear, ring.normals.size());
    const std::uint32_t seed = facets_[facet].first;
    const auto first = [](const auto& list, std::size_t n) {
      return std::span(list.data(), std::min(n, list.size()));
    };
    const auto points = [&](std::size_t facets) {
      return first(ring.points, ring.points_of[std::min(facets, ring.points_of.size()) - 1]);
    };
    std::optional<Candidate> best;
    std::vector<std::uint32_t> failed;
    const auto consider = [&](const std::optional<Primitive>& guess, std::span<const Point> start) {
      if (!guess) return;
      auto candidate = follow(*guess, seed, start);
      constexpr double kClearlyMore = 1.2;
      if (!candidate || (best && candidate->region.area < kClearlyMore * best->region.area)) return;
      if (is_believable(*candidate)) {
        best = std::move(candidate);
      } else {
        failed.insert(failed.end(), candidate->region.triangles.begin(),
                      candidate->region.triangles.end());
      }
    };
    // The simplest first: another kind must explain clearly more. Few facets before many, which
    // may reach onto another surface.
    for (std::size_t i = 1; i < near; ++i) {
      const Vector axis = ring.normals[0].cross(ring.normals[i]);
      if (axis.norm() < kLeastAxisSine) continue;
      std::vector<Point> own(ring.points.begin(),
                             ring.points.begin() + static_cast<std::ptrdiff_t>(ring.points_of[0]));
      own.insert(own.end(),
                 ring.points.begin() + static_cast<std::ptrdiff_t>(ring.points_of[i - 1]),
                 ring.points.begin() + static_cast<std::ptrdiff_t>(ring.points_of[i]));
      consider(guess_cylinder(own, axis), own);
    }
    for (const std::size_t n : {std::size_t{3}, near, kWide}) {
      const std::size_t have = std::min(n, ring.normals.size());
      if (n > near && have <= near) break;
      const auto feet = first(ring.feet, have);
      const auto normals = first(ring.normals, have);
      consider(guess_sphere(points(have)), points(have));
      consider(guess_cone(points(have), feet, normals), points(have));
      if (have >= 9) consider(guess_torus(points(have), feet, normals), points(have));
    }
    if (best) {
      fruitless_ = 1;
      return best;
    }
    for (const std::uint32_t t : ring.triangles) tried_[t] = true;
    for (const std::uint32_t t : failed) tried_[t] = true;
    // Where one attempt after another fails the surface is free-form: fewer are made there.
    constexpr std::size_t kMostFruitless = 8192;
    std::size_t left = fruitless_;
    static_cast<void>(grow(seed, [&](std::uint32_t t, const Point&) {
      if (left == 0) return false;
      --left;
      tried_[t] = true;
      return true;
    }));
    fruitless_ = std::min(2 * fruitless_, kMostFruitless);
    return best;
  }

  // ---- Patches

  void claim_from(std::uint32_t f, bool last_pass) {
    const std::uint32_t seed = facets_[f].first;
    if (tried_[seed] && facets_[f].count <= kFewOfFacet && stays_small(f)) return;
    // Facets are found without regard to what was claimed since.
    Primitive plane{PrimitiveKind::plane, middle(seed), piece_.normals[seed].cast<double>(), 0, 0};
    GrownRegion flat = grow(seed, [&](std::uint32_t t, const Point&) { return facet_of_[t] == f; });
    const Open open = open_border(flat, f, plane);
    std::optional<Candidate> curved;
    // A facet that is far larger than those around it is a plane that they run into.
    const bool stands_out = flat.area >= 4 * open.typical;
    if (open.smooth > 0 && !tried_[seed] && (!last_pass || open.beside_known)) {
      curved = best_curved(f);
      const bool plane_likely = stands_out && open.gradual <= 0.5 * open.smooth;
      const double factor = plane_likely ? 4 : 1.5;
      if (curved && curved->region.area < factor * flat.area) curved.reset();
    }
    if (curved) {
      add(curved->region, curved->surface, facets_[f]);
      return;
    }
    // One that the surface around leaves gradually is the flat side of a curved one, which may be
    // found from elsewhere.
    if (open.smooth > 0 && (!stands_out || (!last_pass && open.gradual > 0.5 * open.smooth)))
      return;
    if (const auto fitted = fit_plane(sample(flat))) {
      plane.origin = fitted->origin;
      plane.axis = fitted->axis.dot(plane.axis) < 0 ? Vector(-fitted->axis) : fitted->axis;
    }
    add(flat, plane, facets_[f]);
  }

  // Does the facet neither stand out nor lie between what is known? Most of those on free-form
  // surfaces: told from their few triangles.
  static constexpr std::uint32_t kFewOfFacet = 12;
  [[nodiscard]] bool stays_small(std::uint32_t f) const {
    std::array<std::uint32_t, kFewOfFacet> own = {facets_[f].first};
    std::size_t known = 1;
    bool open = false;
    float least = facets_[f].area;
    for (std::size_t i = 0; i < known; ++i) {
      for (const std::uint32_t other : piece_.neighbours[own[i]]) {
        if (other == kNoIndex || !is_free(other)) continue;
        if (facet_of_[other] != f) {
          open = true;
          least = std::min(least, facets_[facet_of_[other]].area);
        } else if (std::find(own.begin(), own.begin() + known, other) == own.begin() + known) {
          own[known++] = other;
        }
      }
    }
    return open && facets_[f].area < 4 * least;
  }

  struct Open {
    bool beside_known = false;  // does it end smoothly on a patch that is known?
    double smooth = 0;          // length of its border that is no sharp edge
    double gradual = 0;         // of that, where what comes next is hardly off the plane
    double typical = 0;         // mean area of the free facets there, weighted by that length
  };
  [[nodiscard]] Open open_border(const GrownRegion& region, std::uint32_t facet,
                                 const Primitive& plane) const {
    Open open;
    double weighted = 0;
    double length_sum = 0;
    for (const std::uint32_t t : region.triangles) {
      for (std::size_t k = 0; k < 3; ++k) {
        const std::uint32_t other = piece_.neighbours[t][k];
        if (other == kNoIndex || facet_of_[other] == facet) continue;
        if (!is_free(other)) {
          open.beside_known = true;
          continue;
        }
        const double length = (corner(t, (k + 1) % 3) - corner(t, k)).norm();
        open.smooth += length;
        double farthest = 0;
        for (std::size_t v = 0; v < 3; ++v) {
          farthest = std::max(farthest, std::fabs(plane.distance(corner(other, v))));
        }
        if (farthest <= kAbrupt * fit_) open.gradual += length;
        weighted += length * static_cast<double>(facets_[facet_of_[other]].area);
        length_sum += length;
      }
    }
    if (length_sum > 0) open.typical = weighted / length_sum;
    return open;
  }

  void add(const GrownRegion& region, const std::optional<Primitive>& surface, const Facet& from) {
    const PatchId id{static_cast<std::uint32_t>(result_.patches.size())};
    Patch patch;
    patch.triangles = region.triangles.size();
    patch.area = region.area;
    for (const std::uint32_t t : region.triangles) {
      result_.patch_of[t] = id;
      for (std::size_t c = 0; surface && c < 3; ++c) {
        patch.fit_error = std::max(patch.fit_error, std::fabs(surface->distance(corner(t, c))));
      }
    }
    patch.surface = surface;
    const float seed_area = pass_ < kPasses ? piece_.areas[from.first] : 0;
    result_.patches.push_back({std::move(patch), pass_, from.area, seed_area, from.first});
  }

  // What nothing explains: free-form patches; crumbs go to the neighbour that fits them best.
  void gather_rest() {
    for (std::uint32_t t = 0; t < result_.patch_of.size(); ++t) {
      if (!is_free(t)) continue;
      GrownRegion region = grow(t, [](std::uint32_t, const Point&) { return true; });
      if (!join_neighbour(region)) add(region, std::nullopt, {t, 0, 0});
    }
  }

  bool join_neighbour(const GrownRegion& crumb) {
    constexpr std::size_t kLargestCrumb = 2;
    if (crumb.triangles.size() > kLargestCrumb) return false;
    std::uint32_t best = kNoIndex;
    double least = 1e300;
    for (const std::uint32_t t : crumb.triangles) {
      for (const std::uint32_t other : piece_.neighbours[t]) {
        if (other == kNoIndex || is_free(other)) continue;
        const std::uint32_t patch = result_.patch_of[other].value;
        const auto& surface = result_.patches[patch].patch.surface;
        if (!surface) continue;
        double farthest = 0;
        for (const std::uint32_t own : crumb.triangles) {
          for (std::size_t c = 0; c < 3; ++c) {
            farthest = std::max(farthest, std::fabs(surface->distance(corner(own, c))));
          }
        }
        if (farthest < least) {
          least = farthest;
          best = patch;
        }
      }
    }
    if (best == kNoIndex || least > fit_) return false;
    Patch& patch = result_.patches[best].patch;
    patch.triangles += crumb.triangles.size();
    patch.area += crumb.area;
    patch.fit_error = std::max(patch.fit_error, least);
    for (const std::uint32_t t : crumb.triangles) result_.patch_of[t] = {best};
    return true;
  }

  SmoothPiece piece_;
  double fit_;
  std::vector<std::uint32_t> facet_of_;
  std::vector<Facet> facets_;
  std::vector<std::uint32_t> facet_order_;
  std::vector<std::uint32_t> seen_;         // by triangle: stamp
  std::vector<std::uint32_t> vertex_seen_;  // by vertex: stamp
  std::uint32_t stamp_ = 0;
  std::vector<bool> tried_;
  std::size_t fruitless_ = 1;
  int pass_ = 0;
  RecognisedPiece result_;
};

PatchRecogniser::PatchRecogniser(double fit) : work_(std::make_unique<Work>(fit)) {}
PatchRecogniser::~PatchRecogniser() = default;

RecognisedPiece PatchRecogniser::recognise(const SmoothPiece& piece) {
  return work_->recognise(piece);
}

}  // namespace aguja
