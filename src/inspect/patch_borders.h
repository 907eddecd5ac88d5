#pragma once
// The borders between patches, as chains between their corners.

#include <optional>
#include <vector>

#include "aguja/mesh/patches.h"
#include "aguja/solid/anatomy.h"

namespace aguja {

/// An edge with a patch on each side: the same one where a patch ends by itself.
struct BorderEdge {
  EdgeId edge;
  std::uint32_t first;   // patch
  std::uint32_t second;  // patch; kNoIndex: naked, or more than two triangles
  double length;
};

/// Border edges that follow each other from corner to corner; a loop has no ends.
struct BorderChain {
  std::vector<std::uint32_t> edges;  // into `PatchBorders::edges`
  double length = 0;
  bool loop = false;
};

struct PatchBorders {
  std::vector<BorderEdge> edges;  // by edge
  std::vector<BorderChain> chains;
  std::vector<double> length_of;  // by patch
  std::vector<Box> box_of;        // by patch: of its border
};

/// A corner is where other than two border edges meet, or where two make a turn of 40 degrees.
[[nodiscard]] PatchBorders find_borders(const Anatomy& a, const Patches& patches);

/// Width of the rectangle of this area and border length, if there is one.
[[nodiscard]] std::optional<double> strip_width(double area, double border);

}  // namespace aguja
