#pragma once
// What all commands share: options on models, reading them, printing, exit status.

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "aguja/formats/read.h"
#include "aguja/inspect/inspect.h"
#include "aguja/report/json.h"

namespace aguja::app {

enum ExitStatus : int {
  kAllWell = 0,
  kErrorsInGeometry = 1,
  kWrongUse = 2,
  kInputUnreadable = 3,
  kFailure = 4,
  kInterrupted = 130,
};

/// Where and how a command writes a model.
struct OutputOptions {
  std::string file;
  std::string to;
  bool text = false;
  bool tessellated = false;
  bool overwrite = false;

  /// Adds `--output`, `--to`, `--text` and `--overwrite`; gives the first.
  CLI::Option* add(CLI::App& command);
  [[nodiscard]] Format format() const;
  [[nodiscard]] WriteOptions write_options() const { return {text, tessellated}; }
  /// Before any work: is the format known, and nothing in the way?
  void check() const;
  /// The same of commands that write, or show what they would: one of both, and not both.
  void check(bool dry_run) const;
};

/// What `--each-file` gathers of one file.
struct FileLine {
  std::string words;                        ///< on one line
  nlohmann::ordered_json report = nullptr;  ///< what the command alone prints as JSON, if asked
};

/// Options that every command has, and what they lead to.
class Session {
 public:
  /// Adds `--json`, `--quiet` and `--threads`.
  void add_common(CLI::App& command);
  /// Adds the files to read, `--unit`, `--from` and `--as-one`.
  CLI::Option* add_input(CLI::App& command);

  /// Adds `--unit`, `--from` and `--as-one` alone.
  void add_reading(CLI::App& command);
  /// Adds `--each-file`: see `run_each_file`.
  void add_each_file(CLI::App& command);
  [[nodiscard]] bool each_file() const { return each_file_; }
  /// Adds `--parts-apart`, for commands that give verdicts.
  void add_parts_apart(CLI::App& command);
  /// Reads one file.
  [[nodiscard]] Model read_one(const std::string& file);
  /// Reads all files as one model, in the first one's unit.
  [[nodiscard]] Model read(bool keep_facet_records = false);
  /// Surfaces are sewn at this from now on.
  void sew_by(const std::string& tolerance) { sew_ = tolerance; }
  /// Reads them again: what comes from surfaces with facets half as long as those within `chord`,
  /// whatever held them.
  [[nodiscard]] Model read_finer(double chord, LengthUnit unit);
  /// `pod.stl`, or `pod.stl and 2 more`.
  [[nodiscard]] std::string file_label() const;
  [[nodiscard]] const std::vector<std::string>& files() const { return files_; }
  /// Of the files as they are now, joined by blanks; each is read for it.
  [[nodiscard]] std::string digest();

  /// `--parts-apart`: what lies between parts is not looked at.
  [[nodiscard]] bool parts_apart() const { return parts_apart_; }
  /// With the profile's waivers, and what `--parts-apart` says.
  [[nodiscard]] CertifyOptions certify_options(const Profile& profile = {}) const;

  [[nodiscard]] bool json() const { return json_; }
  [[nodiscard]] Progress* progress();
  /// As the options of the command line want it.
  [[nodiscard]] ReadOptions read_options(bool keep_facet_records) const;
  /// Stages to come, each with how long it takes against the others: for the time that is left.
  void expect(std::vector<std::pair<std::string, double>> stages);
  StageTimes& times() { return times_; }
  /// Stages so far, with `total`, and the memory that was needed.
  [[nodiscard]] RunFacts facts() const;

  /// Prints the JSON object if asked for, else `text()` unless quiet. With `--each-file` `line()`
  /// is kept for the file's line instead.
  void print(const std::function<nlohmann::ordered_json()>& object,
             const std::function<std::string()>& text,
             const std::function<std::string()>& line = {}) const;
  /// Takes one file of several: `print` tells `line` of it.
  void begin_file(const std::string& file, FileLine& line);
  /// Characters a line, of the terminal or 100.
  [[nodiscard]] static std::size_t width();

  /// Runs one command's work with the asked number of threads, and turns errors into messages and
  /// exit status.
  [[nodiscard]] int run(const std::function<int()>& work);

  /// Prints a line for each file as soon as `work` is done with it; gives the worst status. What
  /// cannot be read or fails has its line too, and ends nothing.
  [[nodiscard]] int for_each_file(
      const std::function<int(const std::string& file, FileLine& line)>& work);

 protected:
  std::string sew_;  ///< how far apart edges of surface models may lie that are sewn

 private:
  struct Background;

  std::vector<std::string> files_;
  std::string unit_;
  std::string from_;
  std::string heal_;
  bool close_planes_ = false;
  std::string chord_;
  std::string facet_angle_;
  std::string longest_;
  bool as_one_ = false;
  bool parts_apart_ = false;
  bool each_file_ = false;
  FileLine* line_ = nullptr;
  bool json_ = false;
  bool quiet_ = false;
  int threads_ = 0;
  StageTimes times_;
  std::shared_ptr<Background> background_;
};

/// `--each-file`: a copy of the command does its work for each file, as if it were alone.
template <typename SomeCommand>
[[nodiscard]] int run_each_file(SomeCommand& command, int (SomeCommand::*work)()) {
  return command.for_each_file([&](const std::string& file, FileLine& line) {
    SomeCommand one = command;
    one.begin_file(file, line);
    return (one.*work)();
  });
}

/// `x,y,z`, each a length; nothing if there are no two commas.
[[nodiscard]] std::optional<Point> point_in(const std::string& text, LengthUnit unit);
/// Errors: ArgumentError that names the option.
[[nodiscard]] Point point_named(const std::string& text, LengthUnit unit, std::string_view option);

/// Adds `surface`, where the model was read from surfaces.
void add_surface(nlohmann::ordered_json& object, const Model& model);

/// A command registers its options and gives back what runs it.
using Command = std::function<int()>;
void add_inspect(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_mend(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_certify(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_measure(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_convert(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_stitch(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_boolean(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_cut(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_offset(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_compare(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_show(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);
void add_demo(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands);

/// Set by the first SIGINT; the second one ends the process at once.
[[nodiscard]] bool was_interrupted();
void catch_interrupts();

}  // namespace aguja::app
