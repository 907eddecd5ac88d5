#include "surface/face_mesh.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <optional>
#include <span>
#include <unordered_map>
#include <unordered_set>

#include <Eigen/Geometry>

#include "base/numbers.h"
#include "geometry/planar_region.h"
#include "geometry/point_removal.h"
#include "surface/border_offsets.h"
#include "surface/facet_check.h"
#include "surface/limits.h"
#include "surface/over_plane.h"

namespace aguja {
namespace {

// The cosine below which a facet stands on its surface instead of lying along it.
constexpr double kStandsOnSurface = 0.2;

// A border that is farther from its surface than this part of the chord height lies beside it.
constexpr double kBesideSurface = 0.1;

// Points of one face beyond which no more are added: what is left then is told by its deviation.
constexpr std::size_t kMostPointsOfFace = 400000;
constexpr int kMostRefinements = 10;
// Sides halve in each round: where many points are added after so many rounds and ever more of
// them, facets follow no surface.
constexpr int kRoundsToSettle = 5;
constexpr std::size_t kManyAdded = 1000;
constexpr double kEverMore = 1.5;
// Points of one face triangulated in all rounds together, beyond which it stays as it is.
constexpr std::size_t kMostTriangulated = 3 * kMostPointsOfFace;

struct Bounds {
  Parameters low = Parameters::Constant(kInfinity);
  Parameters high = Parameters::Constant(-kInfinity);
  void extend(const Parameters& uv) {
    low = low.cwiseMin(uv);
    high = high.cwiseMax(uv);
  }
  [[nodiscard]] Parameters width() const { return high - low; }
};

// Longest steps in the parameters between which facets stay within chord and angle, and the mean
// speeds, from samples over a part of the domain.
struct Steps {
  Parameters step;
  Parameters speed;
};

Steps steps_over(const Surface& surface, const Bounds& bounds, const FaceFineness& f) {
  constexpr int kSamples = 7;
  Steps out;
  out.step.setConstant(kInfinity);
  Parameters sum = Parameters::Zero();
  for (int i = 0; i <= kSamples; ++i) {
    for (int j = 0; j <= kSamples; ++j) {
      // Not on the borders, where poles are.
      const Parameters part((i + 0.17) / (kSamples + 0.34), (j + 0.17) / (kSamples + 0.34));
      const Parameters uv = bounds.low + part.cwiseProduct(bounds.width());
      const SurfacePoint s = surface.at(uv[0], uv[1]);
      const SurfacePoint::Curvature c = s.curvature();
      const double speed[2] = {s.du.norm(), s.dv.norm()};
      const double curvature[2] = {c.along_u, c.along_v};
      for (int k = 0; k < 2; ++k) {
        sum[k] += speed[k];
        double length = f.longest > 0 ? f.longest : kInfinity;
        if (curvature[k] > 0) {
          length =
              std::min({length, std::sqrt(8 * f.chord / curvature[k]), f.angle / curvature[k]});
        }
        if (speed[k] > 0) out.step[k] = std::min(out.step[k], length / speed[k]);
      }
    }
  }
  out.speed = sum / ((kSamples + 1.0) * (kSamples + 1.0));
  for (int k = 0; k < 2; ++k) {
    if (!(out.speed[k] > 0)) out.speed[k] = 1;
    const double width = bounds.width()[k];
    if (width > 0) out.step[k] = std::clamp(out.step[k], width / 4000, width);
  }
  return out;
}

bool has_failed(const FaceMesh& mesh) {
  return std::any_of(mesh.troubles.begin(), mesh.troubles.end(), [](const FaceTrouble& t) {
    return t.kind == FaceTrouble::Kind::loop_crossing || t.kind == FaceTrouble::Kind::turned ||
           t.kind == FaceTrouble::Kind::no_facets || t.kind == FaceTrouble::Kind::other_border ||
           t.kind == FaceTrouble::Kind::other_area;
  });
}

// What is a unit of length where facets are triangulated in parameters.
enum class Metric {
  of_space,  ///< that of space, about
  of_steps,  ///< the longest step that keeps to the surface: along a cylinder its whole height
};

class FaceMesher {
 public:
  FaceMesher(const SurfacePtr& surface, bool same_sense, bool directed,
             const FaceFineness& fineness, Metric metric)
      : shared_(surface),
        surface_(*surface),
        same_sense_(same_sense),
        directed_(directed),
        fineness_(fineness),
        metric_(metric),
        poles_(surface_.poles()) {}

  FaceMesh run(const std::vector<DividedLoop>& given) {
    std::vector<DividedLoop> loops = given;
    if (!same_sense_) {
      for (DividedLoop& l : loops) std::reverse(l.corners.begin(), l.corners.end());
    }
    remember_places(loops);
    const Bounds rough = rough_bounds(loops);
    const Steps first = steps_over(surface_, rough, fineness_);
    const NewVertex make = [&](const Point& p) { return own_vertex(p); };
    auto found = find_domain(surface_, loops, directed_, fineness_.tolerance, first.step[0],
                             first.step[1], make);
    if (const auto* failure = std::get_if<DomainFailure>(&found)) {
      trouble(failure->kind, failure->place, failure->measure);
      out_.is_against_loops = directed_ && failure->kind == FaceTrouble::Kind::open_loop;
      return std::move(out_);
    }
    domain_ = std::move(std::get<FaceDomain>(found));
    out_.largest_off = domain_.largest_off;
    out_.off_at = domain_.off_at;
    out_.is_against_loops = domain_.outer_turned;
    out_.either_side = domain_.either_side;
    for (const Point& p : domain_.turned) trouble(FaceTrouble::Kind::turned_loop, p, 0);
    if (domain_.polygons.empty()) {
      trouble(FaceTrouble::Kind::no_facets, Point::Zero(), 0);
      return std::move(out_);
    }
    Bounds bounds;
    for (const auto& polygon : domain_.polygons) {
      for (const DomainPoint& p : polygon) bounds.extend(p.uv);
    }
    steps_ = steps_over(surface_, bounds, fineness_);
    if (metric_ == Metric::of_steps && (steps_.step.array() > 0).all())
      steps_.speed = steps_.step.cwiseInverse();
    begin_points();
    note_offsets();
    const bool makes_sense = surface_.kind() == SurfaceKind::plane || add_grid(bounds);
    // Radii and speeds beyond what doubles square.
    if (!makes_sense || !std::all_of(planar_.begin(), planar_.end(),
                                     [](const PlanarPoint& p) { return p.allFinite(); })) {
      trouble(FaceTrouble::Kind::no_facets, place(points_[0].vertex), 0);
      return std::move(out_);
    }
    triangulate_inside();
    if (surface_.kind() != SurfaceKind::plane || fineness_.longest > 0) refine_all();
    drop_turned();
    write();
    if (out_.troubles.empty()) check_facets(loops);
    if (fineness_.cells && !has_failed(out_)) note_cells(loops);
    return std::move(out_);
  }

 private:
  void trouble(FaceTrouble::Kind kind, const Point& place, double measure) {
    FaceTrouble t;
    t.kind = kind;
    t.place = place;
    t.measure = measure;
    out_.troubles.push_back(t);
  }
  VertexId own_vertex(const Point& p) {
    out_.points.push_back(p);
    return {kOwnVertices + static_cast<std::uint32_t>(out_.points.size() - 1)};
  }
  [[nodiscard]] const Point& place(VertexId v) const {
    return v.value >= kOwnVertices ? out_.points[v.value - kOwnVertices] : place_.at(v.value);
  }
  void remember_places(const std::vector<DividedLoop>& loops) {
    for (const DividedLoop& l : loops) {
      for (const auto& c : l.corners) place_[c.vertex.value] = c.p;
    }
  }

  // Where in the parameters it is about: the loops' corners, or the whole domain.
  Bounds rough_bounds(const std::vector<DividedLoop>& loops) const {
    Bounds b;
    const SurfaceFoot foot(surface_);
    std::size_t corners = 0;
    for (const DividedLoop& l : loops) corners += l.is_vertex ? 0 : l.corners.size();
    const std::size_t every = std::max<std::size_t>(1, corners / 24);
    std::optional<Parameters> last;
    for (const DividedLoop& l : loops) {
      if (l.is_vertex) continue;
      for (std::size_t i = 0; i < l.corners.size(); i += every) {
        last = foot.of(l.corners[i].p, last);
        b.extend(*last);
      }
    }
    const Interval u = surface_.domain_u(), v = surface_.domain_v();
    // Closed directions may be gone around, and poles reached.
    if (u.is_finite() && (surface_.period_u() > 0 || corners == 0))
      b.extend({u.low, b.low[1]}), b.extend({u.high, b.low[1]});
    if (v.is_finite() && (surface_.period_v() > 0 || corners == 0 || !surface_.poles().empty())) {
      b.extend({b.low[0], v.low});
      b.extend({b.low[0], v.high});
    }
    for (const Pole& pole : poles_) {
      Parameters reached = b.low;
      reached[pole.at_u ? 0 : 1] = pole.value;
      b.extend(reached);
    }
    for (int k = 0; k < 2; ++k) {
      if (!std::isfinite(b.low[k]) || !std::isfinite(b.high[k])) b.low[k] = 0, b.high[k] = 1;
    }
    return b;
  }

  [[nodiscard]] PlanarPoint scaled(const Parameters& uv) const {
    return uv.cwiseProduct(steps_.speed);
  }

  void begin_points() {
    for (const auto& polygon : domain_.polygons) {
      const auto first = static_cast<std::uint32_t>(points_.size());
      const auto n = static_cast<std::uint32_t>(polygon.size());
      for (std::uint32_t i = 0; i < n; ++i) {
        points_.push_back(polygon[i]);
        planar_.push_back(scaled(polygon[i].uv));
        border_.push_back({first + i, first + (i + 1) % n});
      }
    }
    border_points_ = points_.size();
    for (const DomainPoint& p : domain_.places) add_point(p);
  }
  // A border that lies beside the surface would fold the facets between the two.
  void note_offsets() {
    if (!(domain_.largest_off > kBesideSurface * fineness_.chord)) return;
    offsets_ = BorderOffsets(domain_.largest_off);
    for (std::size_t i = 0; i < border_points_; ++i) {
      const Point on = surface_.point(points_[i].uv);
      offsets_.add(on, place(points_[i].vertex) - on);
    }
  }
  // Where a point of the face's inside is put.
  [[nodiscard]] Point inside(const Parameters& uv) const {
    return led_to_border(surface_.point(uv));
  }
  [[nodiscard]] Point led_to_border(const Point& on) const { return on + offsets_.at(on); }
  void add_point(const DomainPoint& p) {
    points_.push_back(p);
    planar_.push_back(scaled(p.uv));
  }

  // Rows of points so near that facets between them keep to the surface, clear of the border.
  // False if a side of the face is longer than any number of facets could follow.
  [[nodiscard]] bool add_grid(const Bounds& bounds) {
    const Parameters width = bounds.width();
    double count[2];
    for (int k = 0; k < 2; ++k)
      count[k] = std::max(1.0, std::ceil(width[k] / steps_.step[k] - kSameParameter));
    // Straight in one direction: the border's points serve both ends.
    is_straight_ = count[0] <= 1 || count[1] <= 1;
    if (is_straight_) return true;
    // No cell is longer than eight times its width.
    double cell[2];
    for (int k = 0; k < 2; ++k) cell[k] = width[k] * steps_.speed[k] / count[k];
    for (int k = 0; k < 2; ++k) {
      if (cell[k] > 8 * cell[1 - k])
        count[k] = std::ceil(width[k] * steps_.speed[k] / (8 * cell[1 - k]));
    }
    constexpr double kMostAlong = 1e9;
    if (!(count[0] <= kMostAlong && count[1] <= kMostAlong)) return false;
    const double total = count[0] * count[1];
    if (total > static_cast<double>(kMostPointsOfFace)) {
      const double less = std::sqrt(total / static_cast<double>(kMostPointsOfFace));
      for (double& c : count) c = std::max(1.0, std::floor(c / less));
    }
    const auto nu = static_cast<int>(count[0]), nv = static_cast<int>(count[1]);
    const Parameters step(width[0] / nu, width[1] / nv);
    const std::vector<std::uint8_t> blocked = cells_near_border(bounds, step, nu, nv);
    // In rows of v, inside told by crossings of the row with the polygons.
    for (int j = 1; j < nv; ++j) {
      const double v = bounds.low[1] + step[1] * j;
      const std::vector<double> crossings = crossings_with(v);
      std::size_t next = 0;
      // Rows are set off by half a step, so that triangles are not all right-angled.
      const double shift = j % 2 == 0 ? 0.0 : 0.5;
      for (int i = 0; i <= nu; ++i) {
        const double u = bounds.low[0] + step[0] * (i + shift);
        while (next < crossings.size() && crossings[next] < u) ++next;
        if (next % 2 == 0) continue;
        const int cu =
            std::clamp(static_cast<int>((u - bounds.low[0]) / step[0] * 2), 0, 2 * nu - 1);
        const int cv = std::clamp(j * 2, 0, 2 * nv - 1);
        if (blocked[static_cast<std::size_t>(cv) * 2 * nu + cu] != 0) continue;
        const Parameters uv(u, v);
        add_point({uv, own_vertex(inside(uv))});
      }
    }
    return true;
  }
  [[nodiscard]] std::vector<double> crossings_with(double v) const {
    std::vector<double> all;
    for (const auto& polygon : domain_.polygons) {
      for (std::size_t i = 0; i < polygon.size(); ++i) {
        const Parameters &a = polygon[i].uv, &b = polygon[(i + 1) % polygon.size()].uv;
        if ((a[1] > v) == (b[1] > v)) continue;
        all.push_back(a[0] + (v - a[1]) / (b[1] - a[1]) * (b[0] - a[0]));
      }
    }
    std::sort(all.begin(), all.end());
    return all;
  }
  // Half cells through which the border runs, and those beside them.
  [[nodiscard]] std::vector<std::uint8_t> cells_near_border(const Bounds& bounds,
                                                            const Parameters& step, int nu,
                                                            int nv) const {
    const int cu = 2 * nu, cv = 2 * nv;
    std::vector<std::uint8_t> blocked(static_cast<std::size_t>(cu) * cv);
    const auto block = [&](const Parameters& uv) {
      const int i = static_cast<int>(std::floor((uv[0] - bounds.low[0]) / step[0] * 2));
      const int j = static_cast<int>(std::floor((uv[1] - bounds.low[1]) / step[1] * 2));
      for (int a = i - 1; a <= i + 1; ++a) {
        for (int b = j - 1; b <= j + 1; ++b) {
          if (a >= 0 && a < cu && b >= 0 && b < cv)
            blocked[static_cast<std::size_t>(b) * cu + a] = 1;
        }
      }
    };
    for (const auto& polygon : domain_.polygons) {
      for (std::size_t i = 0; i < polygon.size(); ++i) {
        const Parameters &a = polygon[i].uv, &b = polygon[(i + 1) % polygon.size()].uv;
        const Parameters d = b - a;
        const double pieces =
            std::ceil(2 * std::max(std::fabs(d[0]) / step[0], std::fabs(d[1]) / step[1]));
        const int n = static_cast<int>(std::clamp(pieces, 1.0, 20000.0));
        for (int k = 0; k < n; ++k) block(a + d * k / n);
      }
    }
    return blocked;
  }

  void triangulate_inside() {
    triangulated_ += points_.size();
    PlanarRegion region = triangulate_region(planar_, border_);
    if (!region.refused.empty() && !told_crossing_) {
      told_crossing_ = true;
      trouble(FaceTrouble::Kind::loop_crossing,
              place(points_[border_[region.refused[0]][0]].vertex),
              static_cast<double>(region.refused.size()));
    }
    fixed_.clear();
    for (const PlanarEdge& e : region.constrained) fixed_.insert(key(e[0], e[1]));
    triangles_ = std::move(region.triangles);
    flip_slivers();
  }
  // Points that lie on one line but for rounding, those of the border and the middles of sides,
  // make slivers between them: the line is divided in the triangle beyond it instead.
  void flip_slivers() {
    for (int pass = 0; pass < 8; ++pass) {
      std::unordered_map<std::uint64_t, std::array<std::uint32_t, 2>> beside;
      std::vector<std::uint32_t> slivers;
      for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
        if (longest_side_of_sliver(triangles_[t])) slivers.push_back(t);
      }
      if (slivers.empty()) return;
      for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
        for (std::size_t c = 0; c < 3; ++c) {
          const std::uint64_t k = key(triangles_[t][c], triangles_[t][(c + 1) % 3]);
          const auto [at, is_new] =
              beside.try_emplace(k, std::array<std::uint32_t, 2>{t, kNoIndex});
          if (!is_new) at->second[1] = t;
        }
      }
      bool any = false;
      std::unordered_set<std::uint32_t> changed;
      for (const std::uint32_t t : slivers) {
        const auto side = longest_side_of_sliver(triangles_[t]);
        if (!side || changed.contains(t)) continue;
        const std::uint32_t a = triangles_[t][*side], b = triangles_[t][(*side + 1) % 3],
                            c = triangles_[t][(*side + 2) % 3];
        if (fixed_.contains(key(a, b))) continue;
        const auto& sides = beside[key(a, b)];
        const std::uint32_t other = sides[0] == t ? sides[1] : sides[0];
        if (other == kNoIndex || changed.contains(other)) continue;
        std::uint32_t apex = a;
        for (const std::uint32_t v : triangles_[other]) {
          if (v != a && v != b) apex = v;
        }
        triangles_[t] = {a, apex, c};
        triangles_[other] = {apex, b, c};
        changed.insert(t);
        changed.insert(other);
        any = true;
      }
      if (!any) return;
    }
  }
  // Of a triangle that is flat in parameters but for rounding.
  [[nodiscard]] std::optional<std::size_t> longest_side_of_sliver(
      const std::array<std::uint32_t, 3>& t) const {
    constexpr double kRounding = 1e-9;  // height by length
    std::size_t longest = 0;
    double length = -1;
    for (std::size_t c = 0; c < 3; ++c) {
      const double l = (planar_[t[(c + 1) % 3]] - planar_[t[c]]).squaredNorm();
      if (l > length) length = l, longest = c;
    }
    const PlanarPoint u = planar_[t[1]] - planar_[t[0]], w = planar_[t[2]] - planar_[t[0]];
    const double area = std::fabs(u.x() * w.y() - u.y() * w.x());
    return area <= kRounding * length ? std::optional(longest) : std::nullopt;
  }
  static std::uint64_t key(std::uint32_t a, std::uint32_t b) {
    return a < b ? (std::uint64_t{a} << 32) | b : (std::uint64_t{b} << 32) | a;
  }
  // At a pole one of the parameters says nothing: 0 or 1, or none.
  [[nodiscard]] int idle_parameter(std::uint32_t i) const {
    if (i >= border_points_) return -1;
    for (const Pole& pole : poles_) {
      const int fixed = pole.at_u ? 0 : 1;
      if (points_[i].uv[fixed] == pole.value) return 1 - fixed;
    }
    return -1;
  }
  // Where facets are compared with the surface: what says nothing is taken from the others. Points
  // are put in the very middle, so that none comes to stand on another's way to the pole.
  [[nodiscard]] Parameters middle_of(std::span<const std::uint32_t> corners) const {
    Parameters sum = Parameters::Zero(), all = Parameters::Zero();
    int count[2] = {0, 0};
    for (const std::uint32_t i : corners) {
      const int idle = poles_.empty() ? -1 : idle_parameter(i);
      all += points_[i].uv;
      for (int k = 0; k < 2; ++k) {
        if (k == idle) continue;
        sum[k] += points_[i].uv[k];
        ++count[k];
      }
    }
    Parameters middle;
    for (int k = 0; k < 2; ++k)
      middle[k] = count[k] > 0 ? sum[k] / count[k] : all[k] / static_cast<double>(corners.size());
    return middle;
  }
  [[nodiscard]] Parameters middle_of(std::uint32_t a, std::uint32_t b) const {
    const std::array<std::uint32_t, 2> ends = {a, b};
    return middle_of(ends);
  }

  void refine_all() {
    const std::size_t first = points_.size();
    std::size_t last = first;
    for (int round = 0; round < kMostRefinements && triangulated_ < kMostTriangulated; ++round) {
      const std::size_t before = points_.size();
      if (!refine()) return;
      // The border's points were to do.
      out_.much_refined = is_straight_ && points_.size() > 2 * first;
      triangulate_inside();
      const std::size_t added = points_.size() - before;
      if (round >= kRoundsToSettle && added > kManyAdded &&
          static_cast<double>(added) > kEverMore * static_cast<double>(last)) {
        break;
      }
      last = added;
    }
    static_cast<void>(places_to_refine());
  }
  // Puts points where facets are too far from the surface. False if none is.
  bool refine() {
    const std::vector<Parameters> more = places_to_refine();
    if (points_.size() >= kMostPointsOfFace) return false;
    for (const Parameters& uv : more) add_point({uv, own_vertex(inside(uv))});
    return !more.empty();
  }
  // Notes how far facets are at most, too.
  std::vector<Parameters> places_to_refine() {
    out_.deviation = 0;
    std::unordered_set<std::uint64_t> looked_at;
    std::vector<Parameters> more;
    const double chord = fineness_.chord;
    for (const auto& t : triangles_) {
      if (is_degenerate(t)) continue;
      bool divided = false;
      if (const auto side = fineness_.no_ears ? open_side_of_ear(t) : std::nullopt) {
        const std::uint32_t a = t[*side], b = t[(*side + 1) % 3];
        if (too_far_.insert(key(a, b)).second)
          more.push_back(0.5 * (points_[a].uv + points_[b].uv));
        continue;
      }
      for (std::size_t c = 0; c < 3; ++c) {
        const std::uint32_t a = t[c], b = t[(c + 1) % 3];
        const std::uint64_t k = key(a, b);
        if (fixed_.contains(k)) continue;
        if (!looked_at.insert(k).second) {
          divided = divided || too_far_.contains(k);
          continue;
        }
        const Parameters middle = middle_of(a, b);
        const Point &p = place(points_[a].vertex), &q = place(points_[b].vertex);
        const double apart = (inside(middle) - 0.5 * (p + q)).norm();
        out_.deviation = std::max(out_.deviation, apart);
        const bool off =
            apart > chord || (fineness_.longest > 0 && (p - q).norm() > 1.3 * fineness_.longest);
        if (!off) continue;
        too_far_.insert(k);
        more.push_back(0.5 * (points_[a].uv + points_[b].uv));
        divided = true;
      }
      if (divided) continue;
      const Parameters middle = middle_of(t);
      const SurfacePoint s = surface_.at(middle[0], middle[1]);
      const auto [a, b, c] = corners(t);
      const Point flat = (a + b + c) / 3;
      const double apart = (led_to_border(s.p) - flat).norm();
      out_.deviation = std::max(out_.deviation, apart);
      bool off = apart > chord;
      if (!off) {
        // A facet may keep to the surface and still stand on it.
        const Vector n = (b - a).cross(c - a);
        const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
        off = n.dot(s.normal()) < kStandsOnSurface * n.norm() &&
              n.norm() > kFacetHeight * longest * longest && longest > chord;
        // Beside a pole three points of a rim may turn the other way in space than in parameters.
        const auto side = off ? open_side_of_ear(t) : std::nullopt;
        if (side) {
          const std::uint32_t from = t[*side], to = t[(*side + 1) % 3];
          if (too_far_.insert(key(from, to)).second)
            more.push_back(0.5 * (points_[from].uv + points_[to].uv));
          continue;
        }
      }
      if (off) more.push_back((points_[t[0]].uv + points_[t[1]].uv + points_[t[2]].uv) / 3);
    }
    return more;
  }
  // The one side inside of the face of a facet that has two on its border.
  [[nodiscard]] std::optional<std::size_t> open_side_of_ear(
      const std::array<std::uint32_t, 3>& t) const {
    std::optional<std::size_t> open;
    for (std::size_t c = 0; c < 3; ++c) {
      if (t[c] >= border_points_) return std::nullopt;
      if (fixed_.contains(key(t[c], t[(c + 1) % 3]))) continue;
      if (open) return std::nullopt;
      open = c;
    }
    return open;
  }
  [[nodiscard]] bool is_degenerate(const std::array<std::uint32_t, 3>& t) const {
    const VertexId a = points_[t[0]].vertex, b = points_[t[1]].vertex, c = points_[t[2]].vertex;
    return a == b || b == c || c == a;
  }
  [[nodiscard]] std::array<Point, 3> corners(const std::array<std::uint32_t, 3>& t) const {
    return {place(points_[t[0]].vertex), place(points_[t[1]].vertex), place(points_[t[2]].vertex)};
  }

  // Does it face against the surface it stands for?
  [[nodiscard]] bool is_turned(const std::array<std::uint32_t, 3>& t) const {
    if (is_degenerate(t)) return false;
    const auto [a, b, c] = corners(t);
    const Vector n = (b - a).cross(c - a);
    const Parameters middle = middle_of(t);
    const double longest = std::max({(b - a).norm(), (c - b).norm(), (a - c).norm()});
    return n.norm() > kFacetHeight * longest * longest &&
           n.dot(surface_.at(middle[0], middle[1]).normal()) < 0;
  }

  // A point so near to the border that in space it lies beyond a chord of it serves for nothing:
  // the chord is as near to the surface.
  void drop_turned() {
    std::vector<std::uint32_t> pending;
    for (std::uint32_t t = 0; t < triangles_.size(); ++t) {
      if (useless_corner(triangles_[t])) pending.push_back(t);
    }
    if (pending.empty()) return;
    PointRemoval removal(planar_, triangles_);
    for (std::size_t i = 0; i < pending.size(); ++i) {
      const auto& t = triangles_[pending[i]];
      const auto useless = PointRemoval::is_gone(t) ? std::nullopt : useless_corner(t);
      if (!useless) continue;
      const auto divided = removal.remove(*useless);
      pending.insert(pending.end(), divided.begin(), divided.end());
    }
    removal.sweep();
    flip_slivers();
  }
  // Of a turned facet that stands on the border.
  [[nodiscard]] std::optional<std::uint32_t> useless_corner(
      const std::array<std::uint32_t, 3>& t) const {
    for (std::size_t c = 0; c < 3; ++c) {
      if (t[c] >= border_points_ && points_[t[c]].vertex.value >= kOwnVertices &&
          fixed_.contains(key(t[(c + 1) % 3], t[(c + 2) % 3]))) {
        return is_turned(t) ? std::optional(t[c]) : std::nullopt;
      }
    }
    return std::nullopt;
  }

  void write() {
    // Only what is used.
    std::vector<VertexId> number(out_.points.size(), VertexId{kNoIndex});
    std::vector<Point> used;
    const auto numbered = [&](VertexId v) {
      if (v.value < kOwnVertices) return v;
      VertexId& own = number[v.value - kOwnVertices];
      if (own.value == kNoIndex) {
        own = {kOwnVertices + static_cast<std::uint32_t>(used.size())};
        used.push_back(out_.points[v.value - kOwnVertices]);
      }
      return own;
    };
    std::size_t turned = 0;
    Point turned_at = Point::Zero();
    for (const auto& t : triangles_) {
      note_facet(t);
      if (is_degenerate(t)) continue;
      Triangle out{{numbered(points_[t[0]].vertex), numbered(points_[t[1]].vertex),
                    numbered(points_[t[2]].vertex)}};
      if (is_turned(t)) {
        const auto [a, b, c] = corners(t);
        ++turned;
        turned_at = (a + b + c) / 3;
      }
      if (!same_sense_) std::swap(out[1], out[2]);
      out_.triangles.push_back(out);
    }
    if (turned > 0) trouble(FaceTrouble::Kind::turned, turned_at, static_cast<double>(turned));
    if (out_.triangles.empty()) {
      trouble(FaceTrouble::Kind::no_facets,
              points_.empty() ? Point(Point::Zero()) : place(points_[0].vertex), 0);
    }
    out_.points = std::move(used);
  }

  // As its loops run, these turned about with a face that is against its surface.
  void note_facet(const std::array<std::uint32_t, 3>& t) {
    const PlanarPoint u = planar_[t[1]] - planar_[t[0]], w = planar_[t[2]] - planar_[t[0]];
    const double in_parameters =
        0.5 * std::fabs(u.x() * w.y() - u.y() * w.x()) / (steps_.speed[0] * steps_.speed[1]);
    const Parameters middle = (points_[t[0]].uv + points_[t[1]].uv + points_[t[2]].uv) / 3;
    const SurfacePoint s = surface_.at(middle[0], middle[1]);
    const auto [a, b, c] = corners(t);
    check_.add_facet({{points_[t[0]].vertex, points_[t[1]].vertex, points_[t[2]].vertex}},
                     0.5 * (b - a).cross(c - a).norm(), in_parameters * s.du.cross(s.dv).norm());
  }
  void check_facets(const std::vector<DividedLoop>& loops) {
    for (const DividedLoop& l : loops) check_.add_loop(l);
    if (const auto found = check_.trouble(fineness_.chord, directed_))
      trouble(found->kind, place(points_[0].vertex), found->measure);
  }

  void note_cells(const std::vector<DividedLoop>& loops) {
    FaceCells& cells = out_.cells;
    cells.surface = shared_;
    for (const DomainPoint& p : points_) cells.at.push_back(p.uv);
    cells.triangles = triangles_;
    for (const PlanarEdge& e : border_)
      cells.sides.push_back({e[0], e[1], points_[e[0]].vertex, points_[e[1]].vertex});
    for (const DividedLoop& l : loops) {
      if (!l.is_vertex && l.corners.size() > 1) cells.sides_of_loops += l.corners.size();
    }
  }

  SurfacePtr shared_;
  const Surface& surface_;
  bool same_sense_;
  bool directed_;
  FaceFineness fineness_;
  Metric metric_;
  std::vector<Pole> poles_;
  FaceMesh out_;
  FaceDomain domain_;
  BorderOffsets offsets_;
  Steps steps_;
  std::unordered_map<std::uint32_t, Point> place_;
  std::vector<DomainPoint> points_;
  std::vector<PlanarPoint> planar_;
  std::vector<PlanarEdge> border_;
  std::size_t border_points_ = 0;
  std::size_t triangulated_ = 0;
  std::unordered_set<std::uint64_t> fixed_, too_far_;
  std::vector<std::array<std::uint32_t, 3>> triangles_;
  FacetCheck check_;
  bool told_crossing_ = false;
  bool is_straight_ = false;  // in one of its parameters
};

}  // namespace

namespace {

// The same sphere with its poles as far from the loops as may be; nothing if there is no better
// place for them than where they are.
SurfacePtr with_poles_elsewhere(const Surface& surface, const std::vector<DividedLoop>& loops) {
  const auto* sphere = surface.as<SphereData>();
  if (sphere == nullptr) return nullptr;
  const Point& center = sphere->frame.origin;
  const auto nearest_to = [&](const Vector& axis) {
    double most = 0;  // cosine
    for (const DividedLoop& loop : loops) {
      for (const auto& c : loop.corners) {
        const Vector d = c.p - center;
        if (d.norm() > 0) most = std::max(most, std::fabs(d.dot(axis)) / d.norm());
      }
    }
    return most;
  };
  const Frame& f = sphere->frame;
  Vector best = f.z;
  double least = nearest_to(f.z);
  // The axes and diagonals of a cube.
  for (int i = -1; i <= 1; ++i) {
    for (int j = -1; j <= 1; ++j) {
      for (int k = 0; k <= 1; ++k) {
        const Vector axis = i * f.x + j * f.y + k * f.z;
        if (!(axis.norm() > 0)) continue;
        const double most = nearest_to(axis.normalized());
        if (most < least) least = most, best = axis.normalized();
      }
    }
  }
  if (best == f.z) return nullptr;
  const Vector x = std::fabs(best.dot(f.x)) < 0.5 ? f.x : f.y;
  return make_sphere(Frame::from(center, best, x), sphere->radius);
}

// Does a loop come so near to a pole, without passing through it, that chords of it pass on the
// wrong side?
bool passes_pole(const Surface& surface, const std::vector<DividedLoop>& loops, double tolerance) {
  for (const Pole& pole : surface.poles()) {
    for (const DividedLoop& loop : loops) {
      const std::size_t n = loop.corners.size();
      for (std::size_t i = 0; i < n; ++i) {
        const Vector a = loop.corners[i].p - pole.place;
        const Vector b = loop.corners[(i + 1) % n].p - pole.place;
        const double far = std::min(a.norm(), b.norm());
        if (far > tolerance && (b - a).norm() > far) return true;
      }
    }
  }
  return false;
}

}  // namespace

FaceMesh mesh_face(const Face& face, bool same_sense, const std::vector<DividedLoop>& loops,
                   const FaceFineness& fineness) {
  const auto is_good = [](const FaceMesh& m) { return !has_failed(m) && !m.triangles.empty(); };
  const auto over = [&](const SurfacePtr& surface) {
    const auto by = [&](Metric metric) {
      return FaceMesher(surface, same_sense, face.loops_directed, fineness, metric).run(loops);
    };
    FaceMesh mesh = by(Metric::of_space);
    const bool is_within = mesh.deviation <= fineness.chord;
    if (has_failed(mesh) || (is_within && !mesh.much_refined)) return mesh;
    FaceMesh again = by(Metric::of_steps);
    const bool is_better = is_within ? again.deviation <= fineness.chord &&
                                           2 * again.triangles.size() < mesh.triangles.size()
                                     : again.deviation < mesh.deviation;
    return is_good(again) && is_better ? again : mesh;
  };
  const SurfacePtr other = passes_pole(*face.surface, loops, fineness.tolerance)
                               ? with_poles_elsewhere(*face.surface, loops)
                               : nullptr;
  if (other) {
    FaceMesh mesh = over(other);
    if (is_good(mesh)) return mesh;
  }
  FaceMesh mesh = over(face.surface);
  if (!has_failed(mesh)) return mesh;
  if (!other) {
    if (const SurfacePtr turned = with_poles_elsewhere(*face.surface, loops)) {
      FaceMesh again = over(turned);
      if (is_good(again)) return again;
    }
  }
  if (const auto heights = over_plane(*face.surface, loops)) {
    FaceMesh again = over(heights);
    if (is_good(again) && !heights->has_failed()) {
      again.cells.over_plane = heights;
      return again;
    }
  }
  return mesh;
}

}  // namespace aguja
