#pragma once
// Models torn along their patch borders by a known width.

#include <cstdint>
#include <functional>

#include "aguja/model/model.h"

namespace aguja::demo {

struct CrackOptions {
  /// No two copies of a point lie farther apart than this.
  double width = 0.0;
  std::uint64_t seed = 1;
  /// Into how many pieces a patch's border edges are divided; once if empty.
  std::function<int(PatchId)> pieces = {};
  /// Which patches come off; all if empty. Borders between two that stay are left whole.
  std::function<bool(PatchId)> comes_off = {};
};

/// Every patch gets points of its own; those on borders are moved by up to half the width, each
/// copy by itself, at random.
[[nodiscard]] Mesh cracked(const Mesh& mesh, const CrackOptions& options);

/// Each patch as a part of its own, with its own points only, named `NAME-1`, `NAME-2`, ...
[[nodiscard]] std::vector<Part> parts_by_patch(const Mesh& mesh, const std::string& name);

}  // namespace aguja::demo
