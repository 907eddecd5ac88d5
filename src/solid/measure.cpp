#include "aguja/solid/measure.h"

#include <cmath>

#include <Eigen/Geometry>

#include "aguja/mesh/crossings.h"
#include "aguja/mesh/edge_table.h"
#include "aguja/mesh/rims.h"

namespace aguja {

bool Expectation::is_met() const {
  return std::fabs(found - expected) <= within * std::fabs(expected);
}

bool Expectation::is_told() const {
  if (!(uncertain > 0) || !std::isfinite(found)) return true;
  return std::fabs(std::fabs(found - expected) - within * std::fabs(expected)) > uncertain;
}

double mass_kg(double volume, LengthUnit unit, Density density) {
  const double side = metres_per(unit);
  return volume * side * side * side * density.kg_per_m3;
}

namespace {

// Edges tell whether there is a volume; rims, fans and shells are not asked for.
Measurement measure(const Part& part, StageTimes& times) {
  Measurement m;
  m.name = part.name;
  m.triangles = part.mesh().triangles.size();
  m.box = box_of(part.mesh());
  const Welded welded = times.time("weld", [&] { return Welded(part.mesh()); });
  const EdgeTable edges =
      times.time("edges", [&] { return EdgeTable(welded.triangles(), welded.points().size()); });
  m.encloses = edges.size() > 0 && count_edges(edges).unbalanced == 0;
  times.time("mass", [&] {
    std::vector<TriangleId> all(m.triangles);
    for (std::uint32_t t = 0; t < all.size(); ++t) all[t] = {t};
    m.mass = mass_sums(welded, all, box_of(welded, all)).properties();
  });
  if (m.encloses) {
    const ContactCounts contacts = times.time("crossings", [&] {
      return count_contacts(find_crossings_up_to(welded, kMostCrossings).pairs);
    });
    m.crossings = contacts.crossing + contacts.overlap;
  }
  return m;
}

}  // namespace

std::vector<Measurement> measure_parts(const Model& model, StageTimes* times, Progress* progress) {
  StageTimes unasked;
  std::vector<Measurement> parts;
  for (const Part& part : model.parts) {
    advance(progress, "measure",
            static_cast<double>(parts.size()) / static_cast<double>(model.parts.size()));
    parts.push_back(measure(part, times != nullptr ? *times : unasked));
  }
  return parts;
}

std::string volume_doubt(double volume, std::size_t crossings) {
  if (crossings > 0) {
    return std::to_string(crossings) + (crossings == 1 ? " pair" : " pairs") +
           " of triangles cross or overlap: what lies within two surfaces counts twice";
  }
  return volume < 0 ? "negative: it faces inward" : "";
}

PartSize size_of(const Mesh& mesh) {
  const Welded welded(mesh);
  const EdgeTable edges(welded.triangles(), welded.points().size());
  PartSize size;
  size.box = box_of(mesh);
  size.is_closed = edges.size() > 0 && count_edges(edges).unbalanced == 0;
  const Point origin = size.box.is_empty() ? Point(Point::Zero()) : size.box.center();
  const auto cone = [&](const Point& a, const Point& b, const Point& c) {
    return (a - origin).dot((b - origin).cross(c - origin)) / 6;
  };
  for (const Triangle& t : welded.triangles()) {
    const Point &a = welded.point(t[0]), &b = welded.point(t[1]), &c = welded.point(t[2]);
    size.area += 0.5 * (b - a).cross(c - a).norm();
    size.volume += cone(a, b, c);
  }
  const Rims rims(edges);
  for (std::size_t i = 0; i < rims.size(); ++i) {
    const Rim rim = rims[i];
    const Point middle = center_of(rim, welded.points());
    for (const EdgeId e : rim.edges) {
      const EdgeUse use = edges.uses(e)[0];
      const Triangle& t = welded.triangle(use.triangle());
      size.volume +=
          cone(welded.point(t[(use.corner() + 1) % 3]), welded.point(t[use.corner()]), middle);
    }
  }
  return size;
}

Measurement total(std::span<const Measurement> parts) {
  Measurement all;
  all.name = "all";
  all.encloses = !parts.empty();
  std::vector<MassProperties> masses;
  for (const Measurement& m : parts) {
    all.triangles += m.triangles;
    all.box.extend(m.box);
    all.encloses &= m.encloses;
    all.crossings += m.crossings;
    masses.push_back(m.mass);
  }
  all.mass = combine(masses);
  return all;
}

}  // namespace aguja
