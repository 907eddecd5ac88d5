#include "aguja/model/transform.h"

#include <utility>

namespace aguja {

void transform(Model& model, const Placement& map) {
  if (map.is_identity()) return;
  std::vector<Part> placed;
  placed.reserve(model.parts.size());
  for (const Part& part : model.parts) placed.push_back(part.moved(map));
  model.parts = std::move(placed);
}

void convert_unit(Model& model, LengthUnit unit) {
  const double factor = conversion(model.unit, unit);
  transform(model, scaled_by(factor));
  for (SurfaceSource& source : model.sources) source.to_model *= factor;
  model.unit = unit;
  model.unit_assumed = false;
}

}  // namespace aguja
