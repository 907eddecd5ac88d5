#pragma once
// How options are shown: in groups, each with a word for its value.

#include <CLI/CLI.hpp>

namespace aguja::app {

/// Of all commands, once they have their options.
void arrange_help(CLI::App& app);

}  // namespace aguja::app
