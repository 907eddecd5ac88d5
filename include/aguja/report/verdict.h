#pragma once
/// \file
/// The answer in a sentence, for pages and pictures.

#include <string>

#include "aguja/inspect/inspect.h"

namespace aguja {

enum class Tone { well, open, error };
[[nodiscard]] std::string_view slug(Tone tone);

struct VerdictWords {
  std::string sentence;  ///< can it be meshed?
  std::string next;      ///< what to do, or what to expect
  Tone tone = Tone::open;
};

/// Without a certificate in the inspection nothing is called a solid.
[[nodiscard]] VerdictWords verdict_words(const Model& model, const Inspection& inspection);

}  // namespace aguja
