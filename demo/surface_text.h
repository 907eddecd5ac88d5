#pragma once
// Drawn bodies as STEP and IGES text, in millimetres.

#include <string>

#include "demo/drawing.h"

namespace aguja::demo {

struct StepStyle {
  bool solid = true;  ///< a manifold solid; else a surface model of open shells
};
/// ISO 10303-21, AP214.
[[nodiscard]] std::string step_text(const DrawnBody& body, const StepStyle& style = {});

/// IGES 5.3: each face a trimmed surface (144) by itself.
[[nodiscard]] std::string iges_text(const DrawnBody& body);

}  // namespace aguja::demo
