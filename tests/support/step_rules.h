#pragma once
// The rules of ISO 10303-21, -42 and -514 that a file of boundary representations has to keep: strict,
// where reading is lenient.

#include <string>
#include <string_view>
#include <vector>

namespace aguja::test {

/// What the file does wrong, a line each; empty: nothing. Vertices lie on their curves and edges on their
/// surfaces within the uncertainty that the file states.
[[nodiscard]] std::vector<std::string> broken_step_rules(std::string_view text);

}  // namespace aguja::test
