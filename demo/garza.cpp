#include "demo/garza.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "aguja/mesh/point_indexer.h"

namespace aguja::demo {
namespace {

using std::numbers::pi;

// Triangles by their corners, in named patches; equal corners become one point at the end.
class Soup {
 public:
  void patch(const std::string& name) {
    const auto at = std::find(names_.begin(), names_.end(), name);
    patch_ = static_cast<std::uint32_t>(at - names_.begin());
    if (at == names_.end()) names_.push_back(name);
  }
  void triangle(const Point& a, const Point& b, const Point& c) {
    corners_.insert(corners_.end(), {a, b, c});
    patch_of_.push_back({patch_});
  }
  void quad(const Point& a, const Point& b, const Point& c, const Point& d) {
    triangle(a, b, c);
    triangle(a, c, d);
  }
  PartDraft part(std::string name) {
    PartDraft part;
    part.name = std::move(name);
    part.patch_names = names_;
    part.mesh.triangles.resize(patch_of_.size());
    part.mesh.patch_of = std::move(patch_of_);
    Array<VertexId> ids(corners_.size());
    PointIndexer indexer(corners_.size() / 4);
    indexer.add(
        corners_.size(), [&](std::size_t i) { return corners_[i]; }, ids.data());
    part.mesh.points = indexer.finish(ids);
    for (std::size_t i = 0; i < ids.size(); ++i) part.mesh.triangles[i / 3][i % 3] = ids[i];
    return part;
  }

 private:
  std::vector<Point> corners_;
  SharedArray<PatchId> patch_of_;
  std::vector<std::string> names_;
  std::uint32_t patch_ = 0;
};

// Points around the z axis. Full turns give the very same bits.
class Circle {
 public:
  explicit Circle(int segments) : segments_(segments) {}
  [[nodiscard]] int segments() const { return segments_; }
  [[nodiscard]] Point at(double radius, double z, int i) const {
    if (radius == 0) return {0.0, 0.0, z};
    const double angle = 2 * pi * (i % segments_) / segments_;
    return {radius * std::cos(angle) + 0.0, radius * std::sin(angle) + 0.0, z};
  }
  // Area of the regular polygon with this circumradius.
  [[nodiscard]] double area(double radius) const {
    return 0.5 * segments_ * radius * radius * std::sin(2 * pi / segments_);
  }
  // Volume between two such polygons.
  [[nodiscard]] double volume(double r1, double r2, double height) const {
    return height / 3 * (area(r1) + area(r2) + std::sqrt(area(r1) * area(r2)));
  }

 private:
  int segments_;
};

struct ProfilePoint {
  double r, z;
};

// Revolves a run of the outline, walked with the material to its left; returns the volume between
// the run and the axis, signed by the way it climbs.
double revolve(Soup& soup, const Circle& circle, const std::vector<ProfilePoint>& run) {
  double volume = 0;
  for (std::size_t k = 1; k < run.size(); ++k) {
    const auto [r1, z1] = run[k - 1];
    const auto [r2, z2] = run[k];
    volume += circle.volume(r1, r2, z2 - z1);
    for (int i = 0; i < circle.segments(); ++i) {
      const Point a = circle.at(r1, z1, i), b = circle.at(r1, z1, i + 1);
      const Point c = circle.at(r2, z2, i + 1), d = circle.at(r2, z2, i);
      if (r1 == 0) {
        soup.triangle(a, c, d);
      } else if (r2 == 0) {
        soup.triangle(a, b, c);
      } else {
        soup.quad(a, b, c, d);
      }
    }
  }
  return volume;
}

std::vector<ProfilePoint> line(ProfilePoint from, ProfilePoint to, int steps) {
  std::vector<ProfilePoint> run;
  for (int k = 0; k <= steps; ++k) {
    const double t = static_cast<double>(k) / steps;
    run.push_back(
        k == steps ? to : ProfilePoint{from.r + t * (to.r - from.r), from.z + t * (to.z - from.z)});
  }
  return run;
}

// A quarter of an ellipse from the axis, bottom up.
std::vector<ProfilePoint> dome(double radius, double z, double height, int steps) {
  std::vector<ProfilePoint> run;
  for (int k = 0; k <= steps; ++k) {
    const double angle = pi / 2 * k / steps;
    run.push_back(k == 0 ? ProfilePoint{0, z}
                  : k == steps
                      ? ProfilePoint{radius, z + height}
                      : ProfilePoint{radius * std::sin(angle), z + height * (1 - std::cos(angle))});
  }
  return run;
}

// Holes in a flat ring around the axis: `count` sectors with one hole each, whose corners lie on
// the rays from the hole's centre to the corners of the sector, so that radial strips fill the
// rest.
class HoledRing {
 public:
  HoledRing(const Circle& circle, double inner, double outer, int count, double hole_circle,
            double hole_radius)
      : circle_(circle), inner_(inner), outer_(outer), count_(count), radius_(hole_radius) {
    for (int h = 0; h < count; ++h) {
      centers_.push_back(circle_.at(hole_circle, 0, middle(h)));
    }
  }

  // The ring's own face at height z, its normal pointing up or down.
  void face(Soup& soup, double z, bool up) const {
    for (int h = 0; h < count_; ++h) {
      const std::vector<Point> outline = sector(h, z);
      const std::vector<Point> rim = hole(h, z);
      for (std::size_t i = 0; i < rim.size(); ++i) {
        const std::size_t j = (i + 1) % rim.size();
        if (up) {
          soup.quad(rim[i], outline[i], outline[j], rim[j]);
        } else {
          soup.quad(rim[i], rim[j], outline[j], outline[i]);
        }
      }
    }
  }
  // The wall of hole h, facing into the hole.
  void wall(Soup& soup, int h, double z_low, double z_high) const {
    const std::vector<Point> low = hole(h, z_low);
    const std::vector<Point> high = hole(h, z_high);
    for (std::size_t i = 0; i < low.size(); ++i) {
      const std::size_t j = (i + 1) % low.size();
      soup.quad(low[j], low[i], high[i], high[j]);
    }
  }
  // The bottom of a blind hole, facing up.
  void floor(Soup& soup, int h, double z) const {
    const std::vector<Point> rim = hole(h, z);
    const Point center = at_height(centers_[h], z);
    for (std::size_t i = 0; i < rim.size(); ++i) {
      soup.triangle(center, rim[i], rim[(i + 1) % rim.size()]);
    }
  }
  // Area of the facetted hole: triangles about its centre.
  [[nodiscard]] double hole_area(int h) const {
    const std::vector<double> angle = angles(h);
    double area = 0;
    for (std::size_t i = 0; i < angle.size(); ++i) {
      double step = angle[(i + 1) % angle.size()] - angle[i];
      if (step < 0) step += 2 * pi;
      area += 0.5 * radius_ * radius_ * std::sin(step);
    }
    return area;
  }

 private:
  static constexpr int kSideSteps = 6;

  [[nodiscard]] int first(int h) const { return circle_.segments() / count_ * h; }
  [[nodiscard]] int middle(int h) const { return first(h) + circle_.segments() / count_ / 2; }
  static Point at_height(Point p, double z) {
    p.z() = z;
    return p;
  }

  // Counter-clockwise seen from above: out along one side, the outer arc, back in, the inner arc.
  [[nodiscard]] std::vector<Point> sector(int h, double z) const {
    const int begin = first(h), end = first(h + 1);
    std::vector<Point> outline;
    for (int k = 0; k < kSideSteps; ++k) outline.push_back(side(begin, k, z));
    for (int i = begin; i < end; ++i) outline.push_back(circle_.at(outer_, z, i));
    for (int k = kSideSteps; k > 0; --k) outline.push_back(side(end, k, z));
    for (int i = end; i > begin; --i) outline.push_back(circle_.at(inner_, z, i));
    return outline;
  }
  [[nodiscard]] Point side(int i, int k, double z) const {
    if (k == kSideSteps) return circle_.at(outer_, z, i);
    return circle_.at(inner_ + (outer_ - inner_) * k / kSideSteps, z, i);
  }
  [[nodiscard]] std::vector<double> angles(int h) const {
    std::vector<double> result;
    for (const Point& p : sector(h, 0)) {
      result.push_back(std::atan2(p.y() - centers_[h].y(), p.x() - centers_[h].x()));
    }
    return result;
  }
  [[nodiscard]] std::vector<Point> hole(int h, double z) const {
    std::vector<Point> rim;
    for (const double angle : angles(h)) {
      rim.push_back({centers_[h].x() + radius_ * std::cos(angle),
                     centers_[h].y() + radius_ * std::sin(angle), z});
    }
    return rim;
  }

  Circle circle_;
  double inner_, outer_;
  int count_;
  double radius_;
  std::vector<Point> centers_;
};

}  // namespace

KnownPart make_pod(const PodShape& s) {
  const Circle circle(s.segments);
  Soup soup;
  double volume = 0;
  const double flange_top = s.flange_height + s.flange_thickness;
  const double top = flange_top + s.neck_height;
  const double port_inner = s.port_circle - 7, port_outer = s.port_circle + 9;
  const HoledRing bolts(circle, s.hull_radius, s.flange_radius, 8, s.bolt_circle, s.bolt_radius);
  const HoledRing ports(circle, port_inner, port_outer, 4, s.port_circle, s.port_radius);

  soup.patch("keel");
  volume += revolve(soup, circle, dome(s.hull_radius, 0, s.keel_height, 12));
  soup.patch("hull");
  volume += revolve(soup, circle,
                    line({s.hull_radius, s.keel_height}, {s.hull_radius, s.flange_height}, 18));
  soup.patch("flange-under");
  bolts.face(soup, s.flange_height, false);
  soup.patch("flange-rim");
  volume += revolve(soup, circle,
                    line({s.flange_radius, s.flange_height}, {s.flange_radius, flange_top}, 2));
  soup.patch("flange-top");
  bolts.face(soup, flange_top, true);
  revolve(soup, circle, {{s.hull_radius, flange_top}, {s.neck_radius, flange_top}});
  soup.patch("neck");
  volume += revolve(soup, circle, line({s.neck_radius, flange_top}, {s.neck_radius, top}, 3));
  soup.patch("cap");
  revolve(soup, circle, {{s.neck_radius, top}, {port_outer, top}});
  ports.face(soup, top, true);
  revolve(soup, circle, line({port_inner, top}, {0, top}, 2));
  for (int h = 0; h < 8; ++h) {
    soup.patch("bolt-hole-" + std::to_string(h + 1));
    bolts.wall(soup, h, s.flange_height, flange_top);
    volume -= bolts.hole_area(h) * s.flange_thickness;
  }
  for (int h = 0; h < 4; ++h) {
    soup.patch("port-" + std::to_string(h + 1));
    ports.wall(soup, h, top - s.port_depth, top);
    ports.floor(soup, h, top - s.port_depth);
    volume -= ports.hole_area(h) * s.port_depth;
  }

  // The cavity is walked top down: material outside of it.
  soup.patch("cavity");
  const double inside = s.hull_radius - s.wall;
  const double ceiling = s.flange_height - s.wall;
  std::vector<ProfilePoint> cavity = dome(inside, s.wall, s.keel_height - s.wall, 12);
  const auto wall = line({inside, s.keel_height}, {inside, ceiling}, 16);
  cavity.insert(cavity.end(), wall.begin() + 1, wall.end());
  const auto roof = line({inside, ceiling}, {0, ceiling}, 4);
  cavity.insert(cavity.end(), roof.begin() + 1, roof.end());
  std::reverse(cavity.begin(), cavity.end());
  volume += revolve(soup, circle, cavity);
  return {soup.part("pod"), volume, 2};
}

KnownPart make_ballast_ring() {
  const Circle circle(64);
  Soup soup;
  soup.patch("ballast-ring");
  const double volume = revolve(soup, circle, {{41, 60}, {50, 60}, {50, 72}, {41, 72}, {41, 60}});
  return {soup.part("ballast-ring"), volume, 1};
}

KnownPart make_lid() {
  const Circle circle(64);
  Soup soup;
  soup.patch("lid");
  const double volume = revolve(soup, circle, {{0, 142}, {31, 142}, {31, 147}, {0, 147}});
  return {soup.part("lid"), volume, 1};
}

KnownPart make_ball(double radius, int rings) {
  const Circle circle(2 * rings);
  Soup soup;
  std::vector<ProfilePoint> outline;
  for (int k = 0; k <= 2 * rings; ++k) {
    const double angle = pi * k / (2 * rings);
    const bool pole = k == 0 || k == 2 * rings;
    outline.push_back({pole ? 0 : radius * std::sin(angle), -radius * std::cos(angle)});
  }
  const double volume = revolve(soup, circle, outline);
  PartDraft part = soup.part("ball");
  part.patch_names.clear();
  for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t) {
    const Triangle& tri = part.mesh.triangles[t];
    const Point c =
        (part.mesh.point(tri[0]) + part.mesh.point(tri[1]) + part.mesh.point(tri[2])) / 3.0;
    const double turn = std::atan2(c.y(), c.x()) / (2 * pi) + (c.y() < 0 ? 1 : 0);
    const double polar = std::acos(-c.z() / c.norm()) / pi;
    const auto around = static_cast<std::uint32_t>(turn * rings);
    const auto up = static_cast<std::uint32_t>(polar * rings);
    part.mesh.patch_of[t] = {up * static_cast<std::uint32_t>(rings) + around};
  }
  return {std::move(part), volume, 1};
}

Mesh make_box(const Point& low, const Point& high) {
  const auto corner = [&](int i) {
    return Point((i & 1) != 0 ? high.x() : low.x(), (i & 2) != 0 ? high.y() : low.y(),
                 (i & 4) != 0 ? high.z() : low.z());
  };
  Soup soup;
  soup.patch("box");
  constexpr int kSides[6][4] = {{0, 2, 3, 1}, {4, 5, 7, 6}, {0, 1, 5, 4},
                                {2, 6, 7, 3}, {0, 4, 6, 2}, {1, 3, 7, 5}};
  for (const auto& s : kSides) soup.quad(corner(s[0]), corner(s[1]), corner(s[2]), corner(s[3]));
  Mesh mesh = soup.part("box").mesh;
  mesh.patch_of.clear();
  return mesh;
}

}  // namespace aguja::demo
