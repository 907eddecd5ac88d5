#pragma once
// The obvious slow way to every topological figure: the reference that the fast one is held
// against.

#include "aguja/solid/anatomy.h"

namespace aguja::test {

[[nodiscard]] Counts brute_force_counts(const Mesh& mesh);

}  // namespace aguja::test
