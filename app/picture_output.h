#pragma once
// Pictures, where the tool was built with them.

#include <optional>
#include <string>
#include <vector>

#include "aguja/inspect/inspect.h"
#include "session.h"

namespace aguja::app {

struct PictureOutput {
  std::string size = "1280x800";
  std::string section;  // "x", or "x=0.3"
  bool see_through = false;
  std::string finding;  // id

  void add(CLI::App& command);
  /// Before any work. Errors: ArgumentError, also if the tool has no pictures.
  void check() const;
  [[nodiscard]] std::string draw(const std::string& file, const Model& model,
                                 const Inspection& inspection) const;
};

/// The whole model and a close-up per finding, into `folder`. Returns the names of the files.
std::vector<std::string> write_pictures(const std::string& folder, const PictureOutput& look,
                                        const std::string& file, const Model& model,
                                        const Inspection& inspection, bool overwrite);

}  // namespace aguja::app
