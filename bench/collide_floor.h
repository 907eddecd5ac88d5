#pragma once
// F6: a float ray-tracing kernel builds its tree over the triangles' boxes and collides it with
// itself; pairs of boxes go through a plain test in doubles that is not robust.

#include <memory>

#include "aguja/mesh/mesh.h"

namespace aguja::bench {

class CollideFloor {
 public:
  explicit CollideFloor(const Mesh& mesh);
  ~CollideFloor();
  CollideFloor(const CollideFloor&) = delete;
  CollideFloor& operator=(const CollideFloor&) = delete;

  /// Builds the tree and collides it with itself; the number of pairs that the plain test lets
  /// through.
  std::size_t run();

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace aguja::bench
