#pragma once
/// \file
/// The text of a profile: TOML, format `aguja-profile`, version 1; see docs/profile.md.

#include <filesystem>
#include <string>
#include <string_view>

#include "aguja/inspect/profile.h"

namespace aguja {

/// Reads the text of a profile. Bare lengths are in `unit`, the model's.
/// Errors   InputError (not TOML: with the line), ArgumentError (a key or value that is not known:
///          with the line, what was expected, and the nearest known key).
[[nodiscard]] Profile parse_profile(std::string_view text, LengthUnit unit,
                                    const std::string& name = "profile");
/// As above, from a file. Errors: InputError if it cannot be read.
[[nodiscard]] Profile read_profile(const std::filesystem::path& file, LengthUnit unit);

/// The profile in force as text that reads back to the same: every limit with its meaning and the
/// reason for its default; what differs from the default is active, the rest is commented out.
[[nodiscard]] std::string profile_text(const Profile& profile, LengthUnit unit);

}  // namespace aguja
