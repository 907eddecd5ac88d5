#include "help.h"

#include <map>
#include <memory>
#include <string>
#include <string_view>

namespace aguja::app {
namespace {

constexpr std::string_view kReading = "Reading", kSurfaces = "Surface models (STEP, IGES)",
                           kWriting = "Writing", kPictures = "Pictures", kRun = "Running";

struct Shown {
  std::string_view value = "";  // empty: as it is
  std::string_view group = "";  // empty: among the command's own
};

const std::map<std::string_view, Shown>& shown() {
  static const std::map<std::string_view, Shown> kShown = {
      {"unit", {"UNIT", kReading}},
      {"from", {"FORMAT", kReading}},
      {"as-one", {"", kReading}},
      {"each-file", {"", kReading}},
      {"parts-apart", {"", kReading}},
      {"sew", {"LENGTH", kSurfaces}},
      {"heal", {"LIST", kSurfaces}},
      {"close-planes", {"", kSurfaces}},
      {"chord", {"LENGTH", kSurfaces}},
      {"facet-angle", {"ANGLE", kSurfaces}},
      {"longest", {"LENGTH", kSurfaces}},
      {"tolerances", {"", kSurfaces}},
      {"output", {"FILE", kWriting}},
      {"to", {"FORMAT", kWriting}},
      {"text", {"", kWriting}},
      {"overwrite", {"", kWriting}},
      {"page", {"FILE", kWriting}},
      {"states", {"FOLDER", kWriting}},
      {"write-plan", {"FILE", kWriting}},
      {"write-profile", {"FILE", kWriting}},
      {"fields", {"FILE", kWriting}},
      {"pictures", {"FOLDER", kPictures}},
      {"size", {"WIDTHxHEIGHT", kPictures}},
      {"section", {"CUT", kPictures}},
      {"sections", {"FILE", kWriting}},
      {"see-through", {"", kPictures}},
      {"finding", {"ID", kPictures}},
      {"json", {"", kRun}},
      {"quiet", {"", kRun}},
      {"threads", {"COUNT", kRun}},
      {"help", {"", kRun}},
      {"accept", {"LIST"}},
      {"accuracy", {"LENGTH"}},
      {"along", {"X,Y,Z"}},
      {"angle", {"PLACE"}},
      {"between", {"PLACE"}},
      {"by", {"PLACE"}},
      {"density", {"DENSITY"}},
      {"element-size", {"LENGTH"}},
      {"expect-mass", {"MASS"}},
      {"expect-volume", {"VOLUME"}},
      {"explain", {"WORD"}},
      {"keep", {"SIDE"}},
      {"leave", {"LIST"}},
      {"may-give-up", {"SHARE"}},
      {"mirror", {"AXIS"}},
      {"mitre", {"FACTOR"}},
      {"most", {"COUNT"}},
      {"move", {"X,Y,Z"}},
      {"only", {"LIST"}},
      {"part", {"NAME"}},
      {"parts", {"LIST"}},
      {"plan", {"FILE"}},
      {"profile", {"FILE"}},
      {"radius", {"PLACE"}},
      {"rename", {"OLD=NEW"}},
      {"scale", {"FACTOR"}},
      {"sheet", {"PART"}},
      {"side", {"SIDE"}},
      {"steps", {"COUNT"}},
      {"take", {"METHOD"}},
      {"thickness", {"PLACE"}},
      {"to-unit", {"UNIT"}},
      {"tolerance", {"LENGTH"}},
      {"try", {"ID"}},
      {"turn", {"AXIS,ANGLE"}},
      {"until", {"STEP"}},
  };
  return kShown;
}

void arrange(CLI::Option& option, std::string_view command) {
  if (option.get_positional()) {
    option.type_name("");
    return;
  }
  if (option.get_single_name() == "within") {
    option.type_name(command == "certify" ? "SHARE" : "LENGTH");
    return;
  }
  if (option.get_single_name() == "thickness" && command == "offset") {
    option.type_name("LENGTH");
    return;
  }
  const auto at = shown().find(option.get_single_name());
  if (at == shown().end()) return;
  Shown how = at->second;
  if (!how.value.empty()) option.type_name(std::string(how.value));
  // What the one command is about is no extra of it.
  const bool is_own = (command == "show" && how.group == kPictures) ||
                      (command == "measure" && option.get_single_name() == "tolerances");
  if (!how.group.empty() && !is_own) option.group(std::string(how.group));
}

// What a command is about comes first, what all of them have last.
class GroupsInOrder : public CLI::Formatter {
 public:
  std::string make_help(const CLI::App* app, std::string name,
                        CLI::AppFormatMode mode) const override {
    if (mode != CLI::AppFormatMode::Normal) return CLI::Formatter::make_help(app, name, mode);
    std::string text = make_description(app) + make_usage(app, name);
    // What files are read stands with --from.
    if (app->get_option_no_throw("files") == nullptr) text += make_positionals(app);
    for (const std::string_view group :
         {std::string_view("Options"), kReading, kSurfaces, kWriting, kPictures, kRun}) {
      const auto options = app->get_options(
          [&](const CLI::Option* o) { return !o->get_positional() && o->get_group() == group; });
      if (!options.empty()) text += make_group(std::string(group), false, options);
    }
    return text + "\n" + make_footer(app);
  }
};

}  // namespace

void arrange_help(CLI::App& app) {
  const auto formatter = std::make_shared<GroupsInOrder>();
  for (CLI::App* command : app.get_subcommands({})) command->formatter(formatter);
  for (CLI::App* command : app.get_subcommands({})) {
    for (CLI::Option* option : command->get_options()) arrange(*option, command->get_name());
  }
}

}  // namespace aguja::app
