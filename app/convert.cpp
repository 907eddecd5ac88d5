// aguja convert: between formats and units, moved, turned, mirrored, scaled, parts renamed.

#include <algorithm>
#include <charconv>
#include <cmath>
#include <limits>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "aguja/formats/write.h"
#include "aguja/mend/selection.h"
#include "aguja/model/transform.h"
#include "aguja/report/surface_report.h"
#include "aguja/report/text.h"
#include "session.h"

namespace aguja::app {
namespace {

std::vector<std::string> split(const std::string& text, char at = ',') {
  std::vector<std::string> fields(1);
  for (const char c : text) {
    if (c == at) {
      fields.emplace_back();
    } else {
      fields.back() += c;
    }
  }
  return fields;
}

Vector parse_lengths(const std::string& text, LengthUnit unit, std::string_view option) {
  const auto fields = split(text);
  if (fields.size() != 3) {
    throw ArgumentError(fmt::format("{}: expected X,Y,Z; got '{}'", option, text));
  }
  return {parse_length(fields[0], unit), parse_length(fields[1], unit),
          parse_length(fields[2], unit)};
}

Placement parse_scale(const std::string& text) {
  const auto fields = split(text);
  if (fields.size() != 1 && fields.size() != 3) {
    throw ArgumentError("--scale: expected a factor or X,Y,Z; got '" + text + "'");
  }
  const auto factor = [&](std::size_t i) {
    const std::string& field = fields[fields.size() == 1 ? 0 : i];
    double value = 0;
    const auto result = std::from_chars(field.data(), field.data() + field.size(), value);
    if (result.ec != std::errc() || result.ptr != field.data() + field.size() || value == 0) {
      throw ArgumentError("--scale: expected a factor other than 0; got '" + field + "'");
    }
    return value;
  };
  return scaled_by(Vector(factor(0), factor(1), factor(2)));
}

Vector parse_axis(const std::string& text, std::string_view option) {
  if (text == "x") return Vector::UnitX();
  if (text == "y") return Vector::UnitY();
  if (text == "z") return Vector::UnitZ();
  throw ArgumentError(fmt::format("{}: expected x, y or z; got '{}'", option, text));
}

// A quarter turn is exact: no sine of a rounded pi.
Placement parse_turn(const std::string& text) {
  const auto fields = split(text);
  if (fields.size() != 2) {
    throw ArgumentError("--turn: expected AXIS,ANGLE such as z,90deg; got '" + text + "'");
  }
  const Vector axis = parse_axis(fields[0], "--turn");
  const double angle = parse_angle(fields[1]);
  const double quarters = angle / parse_angle("90deg");
  if (quarters == std::round(quarters) && std::fabs(quarters) < 1e6) {
    Eigen::Matrix3d cross;  // v -> axis x v
    cross << 0, -axis.z(), axis.y(), axis.z(), 0, -axis.x(), -axis.y(), axis.x(), 0;
    Eigen::Matrix3d turn = Eigen::Matrix3d::Identity();
    const int count = ((static_cast<int>(quarters) % 4) + 4) % 4;
    for (int i = 0; i < count; ++i) turn = (cross + axis * axis.transpose()) * turn;
    return {turn, Vector::Zero()};
  }
  return turned_by(axis, angle);
}

Placement parse_mirror(const std::string& text) {
  const Vector axis = parse_axis(text, "--mirror");
  return {Eigen::Matrix3d::Identity() - 2 * axis * axis.transpose(), Vector::Zero()};
}

// What a file of the format keeps of a model, and what not.
std::vector<std::pair<std::string_view, bool>> held(const FormatHolds& h) {
  return {{"parts", h.parts}, {"patches", h.patches}, {"colours", h.colours},  {"lines", h.lines},
          {"unit", h.unit},   {"doubles", h.doubles}, {"surfaces", h.surfaces}};
}

nlohmann::ordered_json format_json(const FormatInfo& f) {
  nlohmann::ordered_json holds;
  for (const auto& [what, is_held] : held(f.holds)) holds[std::string(what)] = is_held;
  return {{"format", f.slug},
          {"name", f.name},
          {"extensions", split(std::string(f.extensions), ' ')},
          {"read", f.is_read()},
          {"known_by", f.known_by},
          {"written", f.is_written()},
          {"written_as", f.written_as},
          {"holds", std::move(holds)}};
}

std::string format_text(const FormatInfo& f) {
  std::string names, kept, lost;
  for (const std::string& e : split(std::string(f.extensions), ' ')) names += " ." + e;
  for (const auto& [what, is_held] : held(f.holds)) {
    std::string& list = is_held ? kept : lost;
    list.append(list.empty() ? "" : ", ").append(what);
  }
  return fmt::format("{}: {},{}\n  read     {}\n  written  {}\n  holds    {}\n  not      {}\n",
                     f.slug, f.name, names,
                     f.is_read() ? fmt::format("known by {}", f.known_by) : "no",
                     f.written_as.empty() ? "no" : f.written_as, kept, lost);
}

struct ConvertCommand : Session {
  OutputOptions output;
  std::string explain;
  std::string to_unit;
  std::vector<std::pair<std::string, std::string>> steps;  // option, argument; in the order given
  std::vector<std::string> renames;
  std::vector<std::string> parts;
  std::vector<std::string> only;
  bool findings_as_groups = false;

  void apply_steps(Model& model) const {
    for (const auto& [option, argument] : steps) {
      if (option == "--move") {
        transform(model, moved_by(parse_lengths(argument, model.unit, option)));
      } else if (option == "--turn") {
        transform(model, parse_turn(argument));
      } else if (option == "--mirror") {
        transform(model, parse_mirror(argument));
      } else {
        transform(model, parse_scale(argument));
      }
    }
  }

  void select_parts(Model& model) const {
    if (parts.empty()) return;
    for (const std::string& name : parts) {
      const bool known = std::any_of(model.parts.begin(), model.parts.end(),
                                     [&](const Part& p) { return p.name == name; });
      if (!known) throw_unknown_part("--part", name, model);
    }
    std::erase_if(model.parts, [&](const Part& p) {
      return std::find(parts.begin(), parts.end(), p.name) == parts.end();
    });
  }

  // Only what was selected, and findings as patches if asked for.
  void select_triangles_of(Model& model) {
    if (only.empty() && !findings_as_groups) return;
    Selection selection;
    for (const std::string& clause : only) add_clause(selection, clause, model.unit);
    std::vector<Finding> findings;
    if (findings_as_groups || selection.names_findings() || selection.leaves_out()) {
      InspectOptions all;
      all.most_triangles = std::numeric_limits<std::size_t>::max();
      findings = inspect(model, all, &times(), progress()).findings;
    }
    auto missing = missing_ids(selection, findings);
    for (std::string& id : missing_but_ids(selection, findings)) missing.push_back(std::move(id));
    if (!missing.empty()) {
      std::vector<std::string_view> known;
      for (const Finding& f : findings) known.push_back(f.id);
      throw ArgumentError("--only: there is no finding " + missing[0] +
                          (known.empty() ? std::string("; nothing was found")
                                         : "; the nearest is " + nearest_word(missing[0], known)));
    }
    std::vector<std::vector<TriangleId>> chosen;
    if (!only.empty()) {
      chosen = select_triangles(model, findings, selection);
      const bool any = std::any_of(chosen.begin(), chosen.end(),
                                   [](const auto& triangles) { return !triangles.empty(); });
      if (!any) throw ArgumentError("--only: no triangle is selected by " + text_of(selection));
      for (const Box& box : selection.but_boxes) {
        Selection in_it;
        in_it.box = box;
        const auto left_out = select_triangles(model, findings, in_it);
        if (std::all_of(left_out.begin(), left_out.end(),
                        [](const auto& t) { return t.empty(); })) {
          throw ArgumentError("--only: no triangle to leave out lies in " + text_of(in_it));
        }
      }
    }
    if (findings_as_groups) model = findings_as_patches(model, findings);
    if (!only.empty()) model = only_triangles(model, chosen);
  }

  void rename_parts(Model& model) const {
    for (const std::string& rename : renames) {
      const std::size_t equals = rename.find('=');
      if (equals == std::string::npos) {
        throw ArgumentError("--rename: expected OLD=NEW; got '" + rename + "'");
      }
      const std::string old_name = rename.substr(0, equals);
      std::size_t found = 0;
      for (Part& part : model.parts) {
        if (part.name != old_name) continue;
        part.name = rename.substr(equals + 1);
        ++found;
      }
      if (found == 0) throw_unknown_part("--rename", old_name, model);
    }
  }

  [[noreturn]] static void throw_unknown_part(std::string_view option, const std::string& name,
                                              const Model& model) {
    std::string known;
    for (std::size_t i = 0; i < std::min<std::size_t>(8, model.parts.size()); ++i) {
      known += (i == 0 ? "'" : ", '") + model.parts[i].name + "'";
    }
    throw ArgumentError(fmt::format("{}: there is no part '{}'; there are {}{}", option, name,
                                    known, model.parts.size() > 8 ? " and more" : ""));
  }

  int explain_formats() const {
    std::vector<FormatInfo> formats;
    std::vector<std::string_view> known = {"all"};
    for (const FormatInfo& f : format_table()) {
      known.push_back(f.slug);
      if (explain == "all" || explain == f.slug) formats.push_back(f);
    }
    if (formats.empty()) {
      throw ArgumentError("--explain: no format is named '" + explain + "'; the nearest is '" +
                          nearest_word(explain, known) + "'");
    }
    print(
        [&] {
          nlohmann::ordered_json json;
          json["schema"] = schema_json("formats");
          json["formats"] = nlohmann::ordered_json::array();
          for (const FormatInfo& f : formats) json["formats"].push_back(format_json(f));
          return json;
        },
        [&] {
          std::string text;
          for (const FormatInfo& f : formats)
            text.append(text.empty() ? "" : "\n") += format_text(f);
          return text;
        });
    return kAllWell;
  }

  int convert_model() {
    if (!explain.empty()) return explain_formats();
    if (files().empty()) throw ArgumentError("convert: name a model, or --explain FORMAT");
    if (output.file.empty()) throw ArgumentError("convert: --output FILE is needed");
    output.check();
    const Format target = output.format();
    Model model = read(/*keep_facet_records=*/true);
    select_parts(model);
    select_triangles_of(model);
    rename_parts(model);
    apply_steps(model);
    if (!to_unit.empty()) {
      const auto unit = parse_length_unit(to_unit);
      if (!unit) {
        throw ArgumentError("--to-unit: expected um, mm, cm, m, in or ft; got '" + to_unit + "'");
      }
      convert_unit(model, *unit);
    }
    const WriteReport report = times().time("write", [&] {
      return write_model(output.file, model, target, output.write_options(), output.overwrite);
    });
    print([&] { return object(model, target, report); },
          [&] {
            std::string lines = fmt::format("{}: {} triangles in {} part{}, coordinates in {}\n",
                                            output.file, triangle_count(model), model.parts.size(),
                                            model.parts.size() == 1 ? "" : "s", name(model.unit));
            for (const std::string& note : notes_of(model)) lines += "  read: " + note + "\n";
            for (const std::string& note : report.notes) lines += "  written: " + note + "\n";
            return lines + "  digest  " + report.digest + "\n";
          });
    return kAllWell;
  }

  nlohmann::ordered_json object(const Model& model, Format target,
                                const WriteReport& report) const {
    nlohmann::ordered_json json;
    json["schema"] = schema_json("convert");
    json["output"] = output.file;
    json["format"] = slug(target);
    json["unit"] = symbol(model.unit);
    json["parts"] = nlohmann::ordered_json::array();
    for (const Part& part : model.parts) {
      json["parts"].push_back({{"name", part.name}, {"triangles", part.mesh().triangles.size()}});
    }
    json["read_notes"] = notes_of(model);
    json["write_notes"] = report.notes;
    json["rounded_points"] = report.rounded_points;
    json["largest_rounding"] = report.largest_rounding;
    json["digest"] = report.digest;
    add_facts(json, facts());
    return json;
  }
};

}  // namespace

void add_convert(CLI::App& app, std::vector<std::pair<CLI::App*, Command>>& commands) {
  CLI::App& command =
      *app.add_subcommand("convert", "between formats and units, moved, turned or scaled");
  const auto session = std::make_shared<ConvertCommand>();
  session->add_input(command)->required(false);
  session->output.add(command);
  command.add_option("--explain", session->explain,
                     "tell of a format, or of all: how it is known, what it holds");
  command.add_option("--part", session->parts, "write only this part; may be repeated")
      ->allow_extra_args(false);
  command
      .add_option(
          "--only", session->only,
          "write only these triangles: a finding's id or kind, patch:NAME, part:NAME, "
          "triangles:5-9,12, box:X,Y,Z,X,Y,Z, near:X,Y,Z; but:... leaves out; may be repeated")
      ->allow_extra_args(false);
  command.add_flag("--findings", session->findings_as_groups,
                   "each finding's triangles become a patch named by its id");
  command.add_option("--rename", session->renames, "OLD=NEW, a part's name; may be repeated")
      ->allow_extra_args(false);
  command.add_option("--to-unit", session->to_unit,
                     "express the same sizes in um, mm, cm, m, in, ft");
  const auto step = [&](const std::string& name, const std::string& help) {
    command
        .add_option_function<std::vector<std::string>>(
            name,
            [session, name](const std::vector<std::string>& arguments) {
              for (const std::string& a : arguments) session->steps.emplace_back(name, a);
            },
            help)
        ->allow_extra_args(false)
        ->trigger_on_parse();
  };
  step("--move", "X,Y,Z; lengths may carry units");
  step("--turn", "AXIS,ANGLE about the origin, such as z,90deg");
  step("--mirror", "AXIS: the sign of this coordinate changes");
  step("--scale", "FACTOR or X,Y,Z about the origin");
  session->add_common(command);
  command.footer(
      "--move, --turn, --mirror and --scale are done in the order given, before\n"
      "--to-unit. Where the map mirrors, triangles are turned so that outward stays\n"
      "outward.\nExample: aguja convert pod.stl -o pod-in.obj --to-unit in");
  commands.emplace_back(
      &command, [session] { return session->run([&] { return session->convert_model(); }); });
}

}  // namespace aguja::app
