#pragma once
/// \file
/// Indices that cannot be mixed up: a vertex is not a triangle.

#include <compare>
#include <cstdint>

namespace aguja {

/// A 32-bit index into one kind of array. Left uninitialised unless given a value, so that arrays
/// of ids cost nothing to make.
template <class Tag>
struct Id {
  std::uint32_t value;
  friend constexpr auto operator<=>(Id, Id) = default;
};

using VertexId = Id<struct VertexTag>;
using TriangleId = Id<struct TriangleTag>;
using EdgeId = Id<struct EdgeTag>;
using PatchId = Id<struct PatchTag>;
/// Also the name of a component: an edge-connected set of triangles.
using ShellId = Id<struct ShellTag>;

/// Never a valid index.
inline constexpr std::uint32_t kNoIndex = 0xFFFFFFFFu;

}  // namespace aguja
