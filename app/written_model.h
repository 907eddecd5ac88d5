#pragma once
// Writing a model that was changed, and the certificate on what was written.

#include "aguja/formats/write.h"
#include "aguja/inspect/inspect.h"
#include "session.h"

namespace aguja::app {

[[nodiscard]] WrittenFacts write_and_certify(Session& session, const OutputOptions& output,
                                             const Model& model, const Profile& profile = {});

/// Will the format round coordinates to floats?
[[nodiscard]] bool holds_floats_only(const OutputOptions& output);

/// Are parts still parts when the file is read back?
[[nodiscard]] bool holds_parts(const OutputOptions& output);

/// What is rounded on writing moves, too, and the tolerance bounds all that moves.
/// Errors: ArgumentError if rounding alone would go beyond `allowed`.
void check_rounding(const Model& model, double allowed);

}  // namespace aguja::app
