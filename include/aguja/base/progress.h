#pragma once
/// \file
/// How long work tells how far it has come, and how it is stopped.

#include <string_view>

#include "aguja/base/error.h"

namespace aguja {

/// Derive from it to see progress and to stop. Calls may come from any thread, but never two at
/// once for one object.
class Progress {
 public:
  virtual ~Progress() = default;
  /// `done` is in 0..1 and never falls within a stage. Returns false to stop the work.
  virtual bool advance(std::string_view stage, double done) = 0;
};

/// Tells `progress` (which may be null) and throws `Cancelled` if it asks to stop.
inline void advance(Progress* progress, std::string_view stage, double done) {
  if (progress != nullptr && !progress->advance(stage, done)) throw Cancelled();
}

}  // namespace aguja
