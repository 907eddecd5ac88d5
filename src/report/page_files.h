#pragma once
// The files in page/, as they were when the library was built.

#include <string_view>

namespace aguja {

/// Errors   InternalError (no file has that name).
[[nodiscard]] std::string_view page_file(std::string_view name);

}  // namespace aguja
