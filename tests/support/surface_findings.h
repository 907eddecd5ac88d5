#pragma once
// What is found of the surfaces of a model, and nothing else.

#include <limits>

#include "aguja/inspect/inspect.h"
#include "aguja/solid/prepare.h"

namespace aguja::test {

inline std::vector<Finding> surface_findings(const Model& model) {
  using enum FindingKind;
  InspectOptions options;
  options.only = {open_loop,     loop_crossing, edge_off_surface, vertex_off_edge,
                  unshared_edge, reversed_face, singular_surface, curvature_jump};
  options.most_triangles = std::numeric_limits<std::size_t>::max();
  return inspect(model, options).findings;
}

}  // namespace aguja::test
