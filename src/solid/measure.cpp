#include "aguja/solid/measure.h"

#include <cmath>

#include "aguja/solid/certificate.h"

namespace aguja {

bool Expectation::is_met() const {
  return std::fabs(found - expected) <= within * std::fabs(expected);
}

double mass_kg(double volume, LengthUnit unit, Density density) {
  const double side = metres_per(unit);
  return volume * side * side * side * density.kg_per_m3;
}

std::vector<Measurement> measure_parts(const Model& model, StageTimes* times, Progress* progress) {
  std::vector<Measurement> parts;
  for (const Part& part : model.parts) {
    const Anatomy anatomy(part.mesh, times, progress);
    Measurement m;
    m.name = part.name;
    m.triangles = part.mesh.triangles.size();
    m.box = box_of(part.mesh);
    std::vector<MassProperties> shells;
    for (const Shell& shell : anatomy.shells) shells.push_back(shell.mass);
    m.mass = combine(shells);
    m.encloses = anatomy.edge_counts.unbalanced == 0 && !shells.empty();
    parts.push_back(std::move(m));
  }
  return parts;
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
    masses.push_back(m.mass);
  }
  all.mass = combine(masses);
  return all;
}

}  // namespace aguja
