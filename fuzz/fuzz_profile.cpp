// Any bytes as a profile: an error with its line, or a profile whose text reads back to the same.

#include <cstdint>
#include <cstdlib>
#include <string_view>

#include "aguja/base/error.h"
#include "aguja/formats/profile.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace aguja;
  const std::string_view text(reinterpret_cast<const char*>(data), size);
  Profile profile;
  try {
    profile = parse_profile(text, LengthUnit::millimetre);
  } catch (const InputError&) {
    return 0;
  } catch (const ArgumentError&) {
    return 0;
  }
  const std::string written = profile_text(profile, LengthUnit::millimetre);
  const std::string again =
      profile_text(parse_profile(written, LengthUnit::millimetre), LengthUnit::millimetre);
  if (again != written) std::abort();
  return 0;
}
