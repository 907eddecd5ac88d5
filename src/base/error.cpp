#include "aguja/base/error.h"

#include <array>
#include <utility>

namespace aguja {
namespace {

std::string one_line(const InputError::Details& details) {
  std::string text = details.file;
  if (details.place) {
    const bool by_line = details.place->counts == InputPlace::Counts::lines;
    text += by_line ? ": line " : ": byte ";
    text += std::to_string(details.place->at);
  }
  return text + ": " + details.text;
}

}  // namespace

std::string_view slug(InputProblem problem) {
  constexpr std::array<std::string_view, 10> kSlugs = {
      "not-readable", "empty",      "unknown-format", "unsupported", "truncated",
      "wrong-count",  "bad-number", "bad-index",      "syntax",      "too-large"};
  return kSlugs.at(static_cast<std::size_t>(problem));
}

InputError::InputError(Details details) : Error(one_line(details)), details_(std::move(details)) {}

}  // namespace aguja
