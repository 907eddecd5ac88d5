#include "written_model.h"

#include <algorithm>

#include <fmt/format.h>

namespace aguja::app {

WrittenFacts write_and_certify(Session& session, const OutputOptions& output, const Model& model,
                               const Profile& profile) {
  WrittenFacts out;
  // With the chord height and all else that the input was read with.
  ReadOptions options = session.read_options(false);
  options.unit = model.unit;
  options.format = output.format();
  // What cannot be read or certified is not published.
  const auto examine = [&](const Source& written) {
    Model back = session.times().time(
        "read", [&] { return read_model(written, options, session.progress()); });
    // Meshes do not tell what was missing before.
    back.lost = model.lost;
    out.certificate =
        certify(back, session.certify_options(profile), &session.times(), session.progress());
  };
  WriteReport report = session.times().time("write", [&] {
    return write_model(output.file, model, output.format(), output.write_options(),
                       output.overwrite, examine);
  });
  out.output = output.file;
  out.digest = std::move(report.digest);
  out.write_notes = std::move(report.notes);
  out.largest_rounding = report.largest_rounding;
  return out;
}

bool holds_floats_only(const OutputOptions& output) {
  return output.format() == Format::stl && !output.text;
}

bool holds_parts(const OutputOptions& output) {
  // One solid of binary STL is all of the file.
  return info(output.format()).holds.parts && !holds_floats_only(output);
}

void check_rounding(const Model& model, double allowed) {
  double largest = 0;
  for (const Part& part : model.parts) {
    for (const Point& p : part.mesh().points) {
      largest = std::max(largest, (rounded_to_float(p) - p).norm());
    }
  }
  if (largest <= allowed) return;
  throw ArgumentError(fmt::format(
      "binary STL would round points by up to {:.3g} {}, more than the tolerance of {:.3g}; "
      "write obj, ply or --text",
      largest, symbol(model.unit), allowed));
}

}  // namespace aguja::app
