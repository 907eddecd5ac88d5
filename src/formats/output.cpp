#include "formats/output.h"

#include "aguja/base/printable.h"

#include <algorithm>

namespace aguja::detail {

std::string one_line(std::string_view name) { return printable(name); }

void note_lost_parts(const Model& model, std::string_view format, WriteReport& report) {
  if (model.parts.size() > 1) {
    report.notes.push_back(std::string(format) + " holds no parts: the " +
                           std::to_string(model.parts.size()) + " parts are written as one");
  }
}

void note_lost_patches(const Model& model, std::string_view format, WriteReport& report) {
  const bool any = std::any_of(model.parts.begin(), model.parts.end(),
                               [](const Part& p) { return !p.mesh().patch_of.empty(); });
  if (any) report.notes.push_back(std::string(format) + " holds no patches: they are not written");
}

void note_lost_colours(const Model& model, std::string_view format, WriteReport& report) {
  if (!has_colours(model)) return;
  report.notes.push_back(std::string(format) + " holds no colours: they are not written");
}

std::array<std::uint8_t, 3> colour_bytes(const Part& part, std::size_t triangle) {
  const Rgb own =
      colour_of(part.placed(), {static_cast<std::uint32_t>(triangle)}).value_or(kNoColour);
  std::array<std::uint8_t, 3> bytes{};
  for (std::size_t k = 0; k < 3; ++k)
    bytes[k] = static_cast<std::uint8_t>(std::lround(255 * std::clamp(own[k], 0.0F, 1.0F)));
  return bytes;
}

void note_lost_unit(const Model& model, std::string_view format, WriteReport& report) {
  if (model.unit == LengthUnit::millimetre && model.unit_assumed) return;
  report.notes.push_back(std::string(format) + " holds no unit: the numbers are " +
                         std::string(name(model.unit)));
}

std::vector<std::size_t> first_points(const Model& model) {
  std::vector<std::size_t> first = {0};
  for (const Part& part : model.parts) first.push_back(first.back() + part.mesh().points.size());
  return first;
}

}  // namespace aguja::detail
