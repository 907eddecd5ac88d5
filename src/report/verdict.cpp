#include "aguja/report/verdict.h"

namespace aguja {
namespace {

std::string number_of(std::size_t n, std::string_view one, std::string_view many) {
  return std::to_string(n) + std::string(n == 1 ? one : many);
}

}  // namespace

std::string_view slug(Tone tone) {
  switch (tone) {
    case Tone::well:
      return "well";
    case Tone::open:
      return "open";
    case Tone::error:
      return "error";
  }
  return "";
}

VerdictWords verdict_words(const Model& model, const Inspection& inspection) {
  VerdictWords words;
  const std::size_t errors = inspection.count(Severity::error);
  const std::size_t warnings = inspection.count(Severity::warning);
  const auto& certificate = inspection.certificate;
  const bool solid = certificate && certificate->verdict == Verdict::solid;
  if (triangle_count(model) == 0) {
    words.sentence = "Nothing to mesh: there are no triangles.";
  } else if (solid) {
    words.sentence = model.parts.size() == 1 ? "A closed solid: a volume mesher can take it."
                                             : "Closed solids: a volume mesher can take them.";
  } else if (!certificate || certificate->verdict == Verdict::undecided) {
    words.sentence = "Undecided: something could not be examined.";
  } else {
    words.sentence = "Not a solid yet: a volume mesher will refuse it or fill the wrong space.";
  }
  if (triangle_count(model) == 0) {
    words.next = "Points and lines enclose nothing.";
  } else if (errors > 0) {
    words.next = number_of(errors, " error", " errors") + " to mend first.";
  } else if (warnings > 0) {
    words.next =
        number_of(warnings, " warning costs", " warnings cost") + " quality or time; no errors.";
  } else {
    words.next = "Nothing was found that a mesher would mind.";
  }
  words.tone = errors > 0 ? Tone::error : solid ? Tone::well : Tone::open;
  return words;
}

}  // namespace aguja
