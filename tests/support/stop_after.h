#pragma once
// A progress that asks to stop.

#include "aguja/base/progress.h"

namespace aguja::test {

/// Lets so many calls pass.
class StopAfter : public Progress {
 public:
  explicit StopAfter(int calls) : left_(calls) {}
  bool advance(std::string_view, double) override { return left_-- > 0; }

 private:
  int left_;
};

}  // namespace aguja::test
