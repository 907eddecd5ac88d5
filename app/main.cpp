// The command-line tool: parses, calls one command, and gives its exit status.

#include <iostream>

#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>

#include "help.h"
#include "session.h"

int main(int argc, char** argv) {
  using namespace aguja::app;
  const auto log = spdlog::stderr_logger_st("aguja");
  log->set_pattern("aguja: %v");
  catch_interrupts();

  CLI::App app("aguja: is it a solid that a volume mesher will accept?\n", "aguja");
  app.set_version_flag("--version", "aguja 0.1.0");
  app.require_subcommand(1);
  app.footer(
      "aguja COMMAND --help tells about one command.\n"
      "Exit status: 0 all is well; 1 errors in the geometry, undecided, or an expectation\n"
      "missed; 2 wrong use; 3 input unreadable; 4 failure; 130 interrupted.");

  std::vector<std::pair<CLI::App*, Command>> commands;
  add_inspect(app, commands);
  add_stitch(app, commands);
  add_mend(app, commands);
  add_certify(app, commands);
  add_measure(app, commands);
  add_boolean(app, commands);
  add_cut(app, commands);
  add_offset(app, commands);
  add_compare(app, commands);
  add_convert(app, commands);
  add_show(app, commands);
  add_demo(app, commands);

  arrange_help(app);

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? kAllWell : kWrongUse;
  }
  for (const auto& [command, run] : commands) {
    if (command->parsed()) return run();
  }
  return kWrongUse;
}
