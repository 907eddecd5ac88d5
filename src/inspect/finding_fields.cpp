#include "aguja/inspect/finding_fields.h"

namespace aguja {
namespace {

// The worst finding of each triangle: they come worst first.
std::vector<const Finding*> worst_by_triangle(const Model& model, const Inspection& inspection) {
  std::vector<const Finding*> worst(triangle_count(model));
  for (const Finding& f : inspection.findings) {
    for (const std::size_t t : model_triangles(model, f)) {
      if (worst[t] == nullptr) worst[t] = &f;
    }
  }
  return worst;
}

}  // namespace

std::vector<std::size_t> model_triangles(const Model& model, const Finding& finding) {
  std::vector<std::size_t> all;
  const std::vector<std::size_t> parts = parts_of(finding);
  std::size_t first = 0;
  for (std::size_t p = 0; !parts.empty() && p < model.parts.size(); ++p) {
    for (const TriangleId t : triangles_in(finding, p)) all.push_back(first + t.value);
    first += model.parts[p].mesh().triangles.size();
  }
  return all;
}

TriangleField kind_field(const Model& model, const Inspection& inspection) {
  TriangleField field{"finding", "kind of the worst finding (its number, 0: none)", "", {}, false};
  for (const Finding* f : worst_by_triangle(model, inspection)) {
    field.values.push_back(f == nullptr ? 0.0F : 1.0F + static_cast<float>(f->kind));
  }
  return field;
}

std::vector<std::array<std::uint8_t, 3>> severity_colours(const Model& model,
                                                          const Inspection& inspection) {
  std::vector<std::array<std::uint8_t, 3>> colours;
  for (const Finding* f : worst_by_triangle(model, inspection)) {
    if (f == nullptr) {
      colours.push_back({217, 205, 180});
    } else if (f->waived || f->severity == Severity::note) {
      colours.push_back({140, 140, 140});
    } else if (f->severity == Severity::error) {
      colours.push_back({184, 106, 0});
    } else {
      colours.push_back({70, 130, 140});
    }
  }
  return colours;
}

}  // namespace aguja
