// Any bytes through what a command does with them: either an error that says what is wrong, or a
// result that holds what the command promises.

#include <cstdint>
#include <cstdlib>
#include <string>
#include <string_view>

#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/write.h"
#include "aguja/inspect/inspect.h"
#include "aguja/mend/mend.h"
#include "aguja/report/json.h"
#include "aguja/report/text.h"

namespace {

using namespace aguja;

// What takes long finds little.
constexpr std::size_t kMostFuzzed = 400;

void check(bool holds) {
  if (!holds) std::abort();
}

void try_inspect(const Model& model) {
  InspectOptions options;
  options.certify = true;
  options.keep_patches = true;
  const Inspection found = inspect(model, options);
  const Certificate alone = certify(model);
  check(found.certificate->verdict == alone.verdict);
  check(found.pairs.size() == alone.pairs.size());
  if (alone.verdict == Verdict::solid) {
    check(found.counts.naked_edges == 0 && found.counts.crossing_pairs == 0);
    check(found.counts.zero_area == 0 && found.counts.nonmanifold_edges == 0);
  }
  check(!inspect_json(model, found, 1000, {}).empty());
  check(!inspect_text(model, found, "fuzz", {.every_finding = true}).empty());
}

void try_mend(const Model& model) {
  MendOptions options;
  options.accepted.all = true;
  const MendResult result = mend(model, options);
  check(result.model.parts.size() == model.parts.size());
  check(result.large_refusals <= result.ledger.size());
  const Certificate before = certify(model), after = certify(result.model);
  // What was a solid stays one.
  if (before.verdict == Verdict::solid) check(after.verdict == Verdict::solid);
}

void try_convert(const Model& model) {
  for (const Format format : {Format::stl, Format::obj, Format::ply, Format::off}) {
    for (const bool text : {false, true}) {
      std::string bytes;
      try {
        write_model([&](std::string_view piece) { bytes += piece; }, model, format, {.text = text});
      } catch (const OutputError&) {
        continue;  // it cannot hold such a model, and says so
      }
      const Model back = read_model(Source{"back", bytes}, {.format = format});
      check(triangle_count(back) == triangle_count(model));
    }
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  constexpr std::string_view kCommand = AGUJA_FUZZ_COMMAND;
  try {
    const Model model = read_model(Source{"fuzz", {reinterpret_cast<const char*>(data), size}}, {});
    if (triangle_count(model) == 0 || triangle_count(model) > kMostFuzzed) return 0;
    if (kCommand == "inspect") try_inspect(model);
    if (kCommand == "mend") try_mend(model);
    if (kCommand == "convert") try_convert(model);
  } catch (const InputError&) {
  } catch (const ArgumentError&) {
  }
  return 0;
}
