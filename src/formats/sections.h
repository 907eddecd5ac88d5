#pragma once
// Triangles and lines of one point list, divided into parts: what OBJ files call objects.

#include <string>
#include <vector>

#include "aguja/model/model.h"

namespace aguja::detail {

/// A stretch of the file's triangles and wires that belong to one part and patch.
struct Section {
  std::size_t part;
  std::uint32_t patch;  // within the part
  std::size_t first_triangle;
  std::size_t first_wire;
  std::size_t first_point;  // points defined from here on
};

struct PartNames {
  std::string name;
  std::vector<std::string> patches;
};

/// Sections are in file order and cover everything. Each part gets the points that it uses, in file
/// order; points that nobody uses go to the part in whose section they were defined. Parts that end
/// up with nothing are left out.
[[nodiscard]] std::vector<Part> divide_into_parts(Mesh mesh, std::vector<Section> sections,
                                                  std::vector<PartNames> names);

}  // namespace aguja::detail
