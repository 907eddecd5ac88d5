#pragma once
// Curves and surfaces that are made of others, held to a stated effort.

#include "aguja/base/error.h"
#include "aguja/surface/curve.h"

namespace aguja {

template <class Made>
[[nodiscard]] Made bounded(Made made) {
  const Effort effort = made->effort();
  if (effort.evaluations > kMostEvaluations || effort.pieces > kMostPieces) {
    throw ArgumentError("it is made of too many others, one in another");
  }
  return made;
}

}  // namespace aguja
