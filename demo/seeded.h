#pragma once
// Demo models with defects whose kind, place and size are known because they were put there.

#include <optional>
#include <string>
#include <vector>

#include "aguja/formats/format.h"
#include "aguja/inspect/finding.h"
#include "aguja/model/model.h"

namespace aguja::demo {

struct SeededDefect {
  FindingKind kind;
  std::string part;
  Point place;                       ///< model unit
  double size;                       ///< in the terms of the kind's measure
  std::optional<std::size_t> count;  ///< entities of the finding, where they are known
};

/// A model that only needs stitching.
struct Tear {
  double width;             ///< no crack is wider
  double stitch_tolerance;  ///< joins everything
  std::size_t naked_edges;
  bool as_one = false;  ///< its parts are faces of one body
};

struct DemoModel {
  std::string name;  ///< file name without extension
  std::string what;  ///< one sentence
  Format format = Format::stl;
  Model model;
  std::vector<SeededDefect> defects;
  std::optional<Tear> tear;
  std::optional<double> volume;  ///< closed form, where the model encloses one
};

/// Adds the triangles of another mesh. Points that both have are not brought together, and no
/// patches are left.
void append(Mesh& to, const Mesh& other);

/// Small bodies, each with one defect of patches, walls, corners, or of what bounds no material.
[[nodiscard]] std::vector<DemoModel> seeded_shapes();

/// All demo models, clean ones first.
[[nodiscard]] std::vector<DemoModel> demo_models();

}  // namespace aguja::demo
