#pragma once
/// \file
/// What became of parts in a step.

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/mesh/mesh_maps.h"

namespace aguja {

/// A part's number over its whole life: that in the input, from 1; parts that are born get the next
/// ones.
using PartId = std::size_t;

struct NamedPart {
  PartId id = 0;
  std::string name;
};

enum class PartFate {
  changed,  ///< one part is another now
  born,     ///< it was made of none
  split,    ///< it fell apart into several
  merged,   ///< several became one
  gone,     ///< nothing is left
};
[[nodiscard]] std::string_view slug(PartFate fate);

/// What became of the faces of a part that was made of surfaces.
struct FaceCounts {
  bool are_kept = true;  ///< else it is a mesh with nothing behind it from here on
  std::size_t dropped = 0, turned = 0, added = 0;
  std::size_t divided = 0;  ///< that stayed, with other facets
  std::size_t apart = 0;    ///< that were to be joined, but none could stand for all of them
};

/// Parts that were taken, and what was made of them.
struct PartChange {
  PartFate fate = PartFate::changed;
  std::vector<PartId> before;
  std::vector<PartId> after;
  std::vector<std::size_t> triangles_before;  ///< by part before: how many it had
  /// By part after: what became of the meshes before, taken one after another.
  std::vector<MeshMaps> maps;
  std::optional<FaceCounts> faces = {};  ///< of one part that stayed one
};

}  // namespace aguja
