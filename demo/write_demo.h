#pragma once
// Demo models as files, each with its record beside it.

#include <filesystem>

#include "demo/seeded.h"

namespace aguja::demo {

struct WrittenDemo {
  DemoModel demo;
  std::filesystem::path model;
  std::filesystem::path record;
};

/// Writes NAME.stl or NAME.obj, and NAME.json, for every demo model into `folder`, which is made if
/// it is missing. Errors: OutputError (a file exists and `overwrite` is false, or cannot be
/// written).
[[nodiscard]] std::vector<WrittenDemo> write_demo(const std::filesystem::path& folder,
                                                  bool overwrite);

}  // namespace aguja::demo
