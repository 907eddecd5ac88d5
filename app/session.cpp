#include "session.h"

#include <semaphore.h>
#include <sys/ioctl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <future>
#include <iostream>
#include <sstream>
#include <thread>

#include <fmt/format.h>
#include <oneapi/tbb/global_control.h>
#include <spdlog/sinks/stdout_sinks.h>
#include <spdlog/spdlog.h>
#include <nlohmann/json.hpp>

#include "aguja/base/printable.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/model/transform.h"
#include "aguja/report/surface_report.h"

namespace aguja::app {
namespace {

std::atomic<bool> interrupted = false;
sem_t asked_to_stop;

using Clock = std::chrono::steady_clock;
const Clock::time_point kStart = Clock::now();

double seconds_since_start() {
  return std::chrono::duration<double>(Clock::now() - kStart).count();
}

}  // namespace

// One line on standard error that is written over, on a terminal only and not for short work.
class TerminalProgress : public Progress {
 public:
  ~TerminalProgress() override { clear(); }

  bool advance(std::string_view stage, double done) override {
    if (was_interrupted()) return false;
    if (!on_terminal_ || seconds_since_start() < 1.0) return true;
    const std::string share = done > 0 ? fmt::format(" {:.0f} %", 100 * done) : "";
    fmt::print(stderr, "\r\033[K{}{}, {:.0f} s{}", stage, share, seconds_since_start(),
               time_left(stage, done));
    std::fflush(stderr);
    shown_ = true;
    return true;
  }

  /// Stages to come with how long each takes against the others.
  void expect(std::vector<std::pair<std::string, double>> stages) { expected_ = std::move(stages); }

  /// Takes the line away, before anything else is printed.
  void clear() {
    if (!shown_) return;
    fmt::print(stderr, "\r\033[K");
    std::fflush(stderr);
    shown_ = false;
  }

 private:
  // From what is behind us, if the stages are known; else from the share of this one.
  std::string time_left(std::string_view stage, double done) {
    if (stage != stage_) {
      stage_ = stage;
      stage_start_ = seconds_since_start();
    }
    double before = 0, own = 0, all = 0;
    for (const auto& [name, weight] : expected_) {
      if (own == 0 && name != stage) before += weight;
      if (name == stage) own = weight;
      all += weight;
    }
    const bool known = own > 0;
    const double share = known ? (before + done * own) / all : done;
    const double took = known ? seconds_since_start() : seconds_since_start() - stage_start_;
    constexpr double kTooEarly = 0.1;
    if (share < kTooEarly || took < 1) return "";
    return fmt::format(", about {:.0f} s left", std::ceil(took * (1 - share) / share));
  }

  std::vector<std::pair<std::string, double>> expected_;
  std::string stage_;
  double stage_start_ = 0;
  bool on_terminal_ = ::isatty(STDERR_FILENO) != 0;
  bool shown_ = false;
};

namespace {

std::size_t peak_bytes() {
  rusage usage{};
  ::getrusage(RUSAGE_SELF, &usage);
  return static_cast<std::size_t>(usage.ru_maxrss) * 1024;
}

void report(const std::string& message) {
  spdlog::get("aguja")->error("{}", printable(message, Lines::kept));
}

nlohmann::ordered_json error_json(const InputError& error) {
  const InputError::Details& d = error.details();
  nlohmann::ordered_json object;
  object["schema"] = schema_json("error");
  object["problem"] = slug(d.problem);
  object["file"] = d.file;
  const auto at = [&](InputPlace::Counts counts) {
    return d.place && d.place->counts == counts ? nlohmann::ordered_json(d.place->at)
                                                : nlohmann::ordered_json(nullptr);
  };
  object["line"] = at(InputPlace::Counts::lines);
  object["byte"] = at(InputPlace::Counts::bytes);
  object["expected"] = d.expected;
  object["found"] = d.found;
  object["message"] = error.what();
  return object;
}

// See no-color.org: any value but the empty one switches colours off.
bool wants_colour() {
  const char* const no_colour = std::getenv("NO_COLOR");
  const char* const terminal = std::getenv("TERM");
  return ::isatty(STDOUT_FILENO) != 0 && (no_colour == nullptr || *no_colour == '\0') &&
         terminal != nullptr && std::string_view(terminal) != "dumb";
}

// Words that have a shape already.
std::string coloured(std::string text) {
  for (const auto& [words, code] :
       {std::pair<std::string_view, std::string_view>{"■ error", "1;38;5;130"},
        {"◆ warning", "38;5;31"},
        {"○ note", "2"},
        {"- waived", "2"}}) {
    for (std::size_t at = text.find(words); at != std::string::npos; at = text.find(words, at)) {
      const std::string shown = fmt::format("\033[{}m{}\033[0m", code, words);
      text.replace(at, words.size(), shown);
      at += shown.size();
    }
  }
  return text;
}

// Text of files may be in any encoding: what is not UTF-8 is replaced rather than refused.
constexpr int kOneLine = -1;
std::string dump(const nlohmann::ordered_json& object, int indent = 2) {
  return object.dump(indent, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

}  // namespace

struct Session::Background {
  TerminalProgress progress;
  std::future<std::string> digest;
};

bool was_interrupted() { return interrupted; }

void catch_interrupts() {
  // Work that can be stopped stops by itself; what cannot is not waited for.
  ::sem_init(&asked_to_stop, 0, 0);
  std::thread([] {
    while (::sem_wait(&asked_to_stop) != 0) {
    }
    constexpr auto kMostWaited = std::chrono::milliseconds(600);
    std::this_thread::sleep_for(kMostWaited);
    constexpr std::string_view kWord =
        "\naguja: interrupted; what was not whole yet is not written\n";
    [[maybe_unused]] const auto written = ::write(STDERR_FILENO, kWord.data(), kWord.size());
    std::_Exit(kInterrupted);
  }).detach();
  std::signal(SIGINT, [](int) {
    if (interrupted.exchange(true)) std::_Exit(kInterrupted);
    ::sem_post(&asked_to_stop);
  });
  // A reader that closes early (head, less) is no failure of ours; writes then fail quietly.
  std::signal(SIGPIPE, SIG_IGN);
}

void Session::add_common(CLI::App& command) {
  command.add_flag("--json", json_, "print one JSON object instead of text");
  command.add_flag("--quiet", quiet_, "print nothing; the exit status tells");
  command.add_option("--threads", threads_, "use at most so many threads")
      ->check(CLI::Range(1, 4096).description(""));
}

CLI::Option* Session::add_input(CLI::App& command) {
  CLI::Option* const files =
      command.add_option("files", files_, "models to read: " + formats_read(""));
  files->required();
  add_reading(command);
  return files;
}

void Session::add_reading(CLI::App& command) {
  command.add_option("--unit", unit_, "unit of the coordinates: um, mm, cm, m, in, ft");
  command.add_option("--from", from_,
                     "what the files are, if their content does not tell: " + formats_read());
  command.add_option("--sew", sew_, "how far apart edges may lie that are sewn, such as 0.01mm");
  command.add_option("--heal", heal_,
                     "what is healed before: all, none, or of loop-order, short-edge, loop-gap, "
                     "parameter-curve (these if left out), space-curve, natural-bounds");
  command.add_flag("--close-planes", close_planes_,
                   "close missing faces whose rim is flat by a plane");
  command.add_option(
      "--chord", chord_,
      "how far facets may lie from their faces; a thousandth of the diagonal if left "
      "out");
  // `measure` has angles of its own.
  command.add_option(command.get_name() == "measure" ? "--facet-angle" : "--facet-angle,--angle",
                     facet_angle_,
                     "by how much a curve may turn from facet to facet; 20deg if left out");
  command.add_option("--longest", longest_, "the longest side of a facet");
  command.add_flag("--as-one", as_one_, "take all parts as one body, the parts as its patches");
}

void Session::add_each_file(CLI::App& command) {
  command.add_flag("--each-file", each_file_,
                   "take each file by itself: a line each, with the status that it has alone");
}

void Session::add_parts_apart(CLI::App& command) {
  command.add_flag("--parts-apart", parts_apart_,
                   "judge each part by itself: parts may cross, or lie in each other");
}

CertifyOptions Session::certify_options(const Profile& profile) const {
  return {parts_apart_ || profile.parts_apart, [profile](const Model& model, const PartPair& pair) {
            return is_meant(profile, model, pair);
          }};
}

std::optional<Point> point_in(const std::string& text, LengthUnit unit) {
  if (std::count(text.begin(), text.end(), ',') != 2) return std::nullopt;
  Point p;
  std::size_t begin = 0;
  for (int axis = 0; axis < 3; ++axis) {
    const std::size_t end = std::min(text.find(',', begin), text.size());
    p[axis] = parse_length(text.substr(begin, end - begin), unit);
    begin = end + 1;
  }
  return p;
}

Point point_named(const std::string& text, LengthUnit unit, std::string_view option) {
  if (const auto p = point_in(text, unit)) return *p;
  throw ArgumentError(std::string(option) + ": expected a point x,y,z; got '" + text + "'");
}

CLI::Option* OutputOptions::add(CLI::App& command) {
  CLI::Option* const option = command.add_option("-o,--output", file, "file to write");
  command.add_option("--to", to, "format to write, whatever the name says");
  command.add_flag("--text", text, "stl and ply: write text instead of binary");
  command.add_flag("--tessellated", tessellated,
                   "step: write meshes as tessellations of AP242, not as faceted bodies");
  command.add_flag("--overwrite", overwrite, "replace the output if it exists");
  return option;
}

Format OutputOptions::format() const {
  const auto known = format_of_name(to.empty() ? file : to);
  if (known && !info(*known).is_written()) {
    throw ArgumentError(std::string(slug(*known)) +
                        (info(*known).is_read() ? " is read, not written; write "
                                                : " is for other viewers, by 'show'; write ") +
                        formats_written());
  }
  if (known) return *known;
  throw ArgumentError((to.empty() ? "the format cannot be told from '" + file + "'"
                                  : "unknown format '" + to + "'") +
                      "; expected " + formats_written() + " (--to)");
}

void OutputOptions::check() const {
  static_cast<void>(format());
  if (overwrite || !std::filesystem::exists(file)) return;
  throw ArgumentError(file + ": exists already; --overwrite replaces it");
}

void OutputOptions::check(bool dry_run) const {
  if (dry_run != file.empty()) {
    throw ArgumentError(dry_run ? "--dry-run writes nothing: leave out --output"
                                : "--output FILE is needed, or --dry-run");
  }
  if (!dry_run) check();
}

Progress* Session::progress() {
  if (!background_) background_ = std::make_shared<Background>();
  return &background_->progress;
}

void Session::expect(std::vector<std::pair<std::string, double>> stages) {
  static_cast<void>(progress());
  background_->progress.expect(std::move(stages));
}

namespace {

std::vector<Healing> parse_healings(const std::string& list) {
  if (list == "none") return {};
  if (list == "all") return {all_healings().begin(), all_healings().end()};
  std::vector<Healing> out;
  std::istringstream words(list);
  for (std::string word; std::getline(words, word, ',');) {
    const auto healing = parse_healing(word);
    if (!healing) {
      std::string names;
      for (const Healing h : all_healings()) names.append(slug(h)).append(", ");
      throw ArgumentError(
          fmt::format("--heal: expected a list of {}or all, or none; found '{}'", names, word));
    }
    out.push_back(*healing);
  }
  return out;
}

}  // namespace

ReadOptions Session::read_options(bool keep_facet_records) const {
  ReadOptions options;
  options.keep_facet_records = keep_facet_records;
  if (!unit_.empty()) {
    options.unit = parse_length_unit(unit_);
    if (!options.unit) {
      throw ArgumentError("--unit: expected um, mm, cm, m, in or ft; got '" + unit_ + "'");
    }
  }
  if (!from_.empty()) {
    options.format = format_of_name(from_);
    if (!options.format) {
      throw ArgumentError("--from: expected " + formats_read() + "; got '" + from_ + "'");
    }
  }
  options.surfaces = [this](LengthUnit unit) {
    PrepareOptions how;
    if (!sew_.empty()) how.sew = parse_length(sew_, unit);
    if (!chord_.empty()) how.tessellation.chord = parse_length(chord_, unit);
    if (!facet_angle_.empty()) how.tessellation.angle = parse_angle(facet_angle_);
    if (!longest_.empty()) how.tessellation.longest = parse_length(longest_, unit);
    if (!heal_.empty()) how.heal = parse_healings(heal_);
    how.close_planes = close_planes_;
    return how;
  };
  return options;
}

Model Session::read_one(const std::string& file) {
  return read_model(file, read_options(false), progress());
}

Model Session::read(bool keep_facet_records) {
  return times_.time("read", [&] {
    const std::vector<std::filesystem::path> paths(files_.begin(), files_.end());
    Model model = read_models(paths, read_options(keep_facet_records), progress());
    return as_one_ ? as_one(std::move(model)) : model;
  });
}

Model Session::read_finer(double chord, LengthUnit unit) {
  // A quarter of the height is half of the length, and of the turn.
  chord_ = fmt::format("{}{}", chord / 4, symbol(unit));
  const double angle =
      facet_angle_.empty() ? TessellationOptions().angle : parse_angle(facet_angle_);
  facet_angle_ = fmt::format("{}rad", angle / 2);
  if (!longest_.empty()) {
    longest_ = fmt::format("{}{}", parse_length(longest_, unit) / 2, symbol(unit));
  }
  return read();
}

void add_surface(nlohmann::ordered_json& object, const Model& model) {
  if (!model.sources.empty()) object["surface"] = surface_json(model);
}

std::string Session::file_label() const {
  if (files_.size() == 1) return files_[0];
  return files_[0] + " and " + std::to_string(files_.size() - 1) + " more";
}

std::string Session::digest() {
  std::string all;
  for (const std::string& file : files_) {
    all += (all.empty() ? "" : " ") + InputFile(file).digest();
  }
  return all;
}

RunFacts Session::facts() const {
  RunFacts facts{times_, peak_bytes()};
  facts.times.add("total", seconds_since_start());
  return facts;
}

void Session::begin_file(const std::string& file, FileLine& line) {
  files_ = {file};
  line_ = &line;
  times_ = {};
  background_.reset();
}

int Session::for_each_file(
    const std::function<int(const std::string& file, FileLine& line)>& work) {
  int worst = kAllWell;
  for (const std::string& file : files_) {
    FileLine line;
    int status = kAllWell;
    try {
      status = work(file, line);
    } catch (const InputError& error) {
      status = kInputUnreadable;
      line = {error.what(), error_json(error)};
      if (line.words.starts_with(file + ": ")) line.words.erase(0, file.size() + 2);
    } catch (const std::bad_alloc&) {
      status = kFailure;
      line = {"out of memory", nullptr};
    }
    worst = std::max(worst, status);
    if (json_) {
      nlohmann::ordered_json object;
      object["schema"] = schema_json("file");
      object["file"] = file;
      object["status"] = status;
      object["words"] = line.words;
      object["report"] = std::move(line.report);
      std::cout << dump(object, kOneLine) << std::endl;
    } else if (!quiet_) {
      std::cout << printable(fmt::format("{}  {}  {}", status, file, line.words)) << std::endl;
    }
  }
  return worst;
}

void Session::print(const std::function<nlohmann::ordered_json()>& object,
                    const std::function<std::string()>& text,
                    const std::function<std::string()>& line) const {
  if (line_ != nullptr) {
    line_->words = line();
    if (json_) line_->report = object();
    return;
  }
  if (background_) background_->progress.clear();
  if (json_) {
    std::cout << dump(object()) << "\n";
  } else if (!quiet_) {
    // Names of files are the user's, and may hold anything.
    const std::string shown = printable(text(), Lines::kept);
    std::cout << (wants_colour() ? coloured(shown) : shown);
  }
  std::cout.flush();
}

std::size_t Session::width() {
  winsize size{};
  if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40) return size.ws_col;
  return 120;
}

int Session::run(const std::function<int()>& work) {
  namespace tbb = oneapi::tbb;
  std::optional<tbb::global_control> limit;
  if (threads_ > 0) {
    limit.emplace(tbb::global_control::max_allowed_parallelism, static_cast<std::size_t>(threads_));
  }
  try {
    const int status = work();
    background_.reset();
    return status;
  } catch (const InputError& error) {
    background_.reset();
    if (json_) std::cout << dump(error_json(error)) << "\n";
    report(error.what());
    return kInputUnreadable;
  } catch (const ArgumentError& error) {
    report(error.what());
    return kWrongUse;
  } catch (const Cancelled&) {
    background_.reset();
    report("interrupted; what was not whole yet is not written");
    return kInterrupted;
  } catch (const std::bad_alloc&) {
    report("out of memory");
    return kFailure;
  } catch (const std::exception& error) {
    report(error.what());
    return kFailure;
  }
}

}  // namespace aguja::app
