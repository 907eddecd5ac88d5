// Any bytes as a plan: an error with its line, or a plan whose text reads back to the same.

#include <cstdint>
#include <cstdlib>
#include <string_view>

#include "aguja/base/error.h"
#include "aguja/formats/plan.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace aguja;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  Plan plan;
  try {
    plan = parse_plan(text, LengthUnit::millimetre);
  } catch (const InputError&) {
    return 0;
  } catch (const ArgumentError&) {
    return 0;
  }
  const std::string written = plan_text(plan, LengthUnit::millimetre);
  const std::string again =
      plan_text(parse_plan(written, LengthUnit::millimetre), LengthUnit::millimetre);
  if (again != written) std::abort();
  return 0;
}
