#pragma once
/// \file
/// Pictures of a model and its findings, without a display. An optional component.

#include <memory>
#include <optional>
#include <string>

#include "aguja/inspect/inspect.h"

namespace aguja {

struct PictureOptions {
  int width = 1280;
  int height = 800;
  /// A close-up of this one; empty: the whole model with all findings.
  std::optional<std::size_t> finding = {};
  bool see_through = false;
  /// Cut away half of the model across this axis (0, 1, 2), at a share of its extent.
  std::optional<int> section_axis = {};
  double section_at = 0.5;
};

/// Draws pictures of one model; what is referred to must outlive it.
class PictureStudio {
 public:
  /// `inspection`: best with all triangles of its findings, and its patches.
  /// Errors   InternalError (the ray-tracing kernel cannot start).
  PictureStudio(const Model& model, const Inspection& inspection, std::string file,
                std::string verdict);
  PictureStudio(const PictureStudio&) = delete;
  PictureStudio& operator=(const PictureStudio&) = delete;
  ~PictureStudio();

  /// The bytes of a PNG file. Parallel rays: the scale bar holds everywhere. Severity is told by
  /// shape, back sides by stripes, what is chosen by dots, naked edges by dashes.
  /// Errors   ArgumentError (a size below 320 x 200 or above 10000, no such finding or axis).
  /// Threads  May be called from several at a time; each call takes some fifty bytes a pixel.
  [[nodiscard]] std::string png(const PictureOptions& options = {}) const;

 private:
  struct Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace aguja
