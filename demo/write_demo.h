#pragma once
// Demo models as files, each with its record beside it.

#include <filesystem>

#include "demo/seeded.h"
#include "demo/surface_models.h"

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

struct WrittenSurfaceDemo {
  SurfaceDemo demo;
  std::filesystem::path model;
  std::filesystem::path record;
};
/// The same for surface models: NAME.step or NAME.iges, and NAME.step.json beside it.
[[nodiscard]] std::vector<WrittenSurfaceDemo> write_surface_demo(
    const std::filesystem::path& folder, bool overwrite);

}  // namespace aguja::demo
