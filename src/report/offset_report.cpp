#include "aguja/report/offset_report.h"

#include <fmt/format.h>

#include "report/json_parts.h"
#include "report/operand_parts.h"
#include "report/text_parts.h"

namespace aguja {
namespace {

Json thickness_json(const WallThickness& wall) {
  if (wall.asked == 0) return nullptr;
  return {{"asked", wall.asked},
          {"least", wall.least},
          {"mean", wall.mean},
          {"largest", wall.largest},
          {"at_least", point_json(wall.at_least)},
          {"at_largest", point_json(wall.at_largest)},
          {"kept", wall.kept}};
}

std::string wall_lines(const OffsetReport& report, const TextOptions& options) {
  const std::string_view unit = symbol(report.result.model.unit);
  TextTable table({{"part", Align::left},
                   {"was", Align::left},
                   {fmt::format("least {}", unit), Align::right},
                   {"mean", Align::right},
                   {"largest", Align::right},
                   {"as asked", Align::right},
                   {"least at", Align::left}});
  for (const PartWall& w : report.result.walls) {
    const WallThickness& t = w.thickness;
    constexpr double kPercent = 100;
    table.add({w.part, w.was_closed ? "closed" : "a sheet", brief(t.least), brief(t.mean),
               brief(t.largest), fmt::format("{:.4g} %", kPercent * t.kept), brief(t.at_least)});
  }
  return "\nThickness reached, from the new skin to the surface opposite\n" +
         table.text(options.width);
}

std::string thin_lines(const OffsetReport& report) {
  constexpr std::size_t kMostRows = 8;
  std::string text;
  for (const PartWall& w : report.result.walls) {
    if (w.thin_places == 0) continue;
    text +=
        fmt::format("\n{} of '{}' thinner than asked\n", plural(w.thin_places, "place"), w.part);
    for (std::size_t i = 0; i < std::min(kMostRows, w.thin.size()); ++i) {
      text += fmt::format("  {} {} at {}\n", brief(w.thin[i].thickness),
                          symbol(report.result.model.unit), brief(w.thin[i].place));
    }
    if (w.thin_places > kMostRows) text += "  and more; --json lists a hundred\n";
  }
  return text;
}

}  // namespace

nlohmann::ordered_json offset_json(const OffsetReport& report, const RunFacts& facts) {
  const OffsetModel& r = report.result;
  Json object;
  object["schema"] = schema_json("offset");
  add_model(object, r.model);
  object["operation"] = "offset";
  object["side"] = slug(report.side);
  object["whole"] = report.is_whole;
  object["operands"] = operands_json(report.operands);
  object["pieces"] = pieces_json(report.certificate);
  object["thickness"] = thickness_json(total(r.walls));
  Json walls = Json::array();
  for (const PartWall& w : r.walls) {
    Json thin = Json::array();
    for (const ThinPlace& p : w.thin) {
      thin.push_back(
          {{"place", point_json(p.place)}, {"thickness", p.thickness}, {"area", p.area}});
    }
    walls.push_back({{"part", w.part},
                     {"was_closed", w.was_closed},
                     {"problem", w.problem.empty() ? Json(nullptr) : Json(w.problem)},
                     {"place", w.problem.empty() ? Json(nullptr) : point_json(w.place)},
                     {"thickness", thickness_json(w.thickness)},
                     {"thin_places", w.thin_places},
                     {"thin", std::move(thin)}});
  }
  object["walls"] = std::move(walls);
  object["rounding"] = rounding_json(r.rounding);
  object["largest_rounding"] = report.largest_rounding;
  add_written(object, r.model, report);
  if (!report.is_made()) object["certificate"] = nullptr;
  add_facts(object, facts);
  return object;
}

std::string offset_text(const OffsetReport& report, const TextOptions& options) {
  const OffsetModel& r = report.result;
  const std::string_view unit = symbol(r.model.unit);
  const bool is_in = report.side == OffsetSide::in;
  std::string text =
      report.is_whole
          ? fmt::format("{} by {} {}\n", is_in ? "Smaller" : "Larger", brief(report.thickness),
                        unit)
          : fmt::format("Walls of {} {}, {}\n", brief(report.thickness), unit,
                        is_in                            ? "behind the surface"
                        : report.side == OffsetSide::out ? "in front of the surface"
                                                         : "half on each side of the surface");
  text += note_lines(r.model, options.width) + "\n";
  text += operand_lines(report.operands, r.model.unit, options);
  if (!report.is_made()) {
    text += "\nNothing was made:\n";
    for (const PartWall& w : r.walls) {
      if (w.problem.empty()) continue;
      text += wrapped(fmt::format("'{}': {}, at {}", w.part, w.problem, brief(w.place)),
                      options.width, 2);
    }
    return text;
  }
  if (!report.is_whole) text += wall_lines(report, options) + thin_lines(report);
  text += piece_lines(report.certificate, r.model.unit, options);
  if (r.rounding.moved > 0) {
    text +=
        fmt::format("\n  moved     at most {} {}, by rounding\n", brief(r.rounding.moved), unit);
  }
  text += verdict_lines(r.model, report.certificate, options);
  text += "\n" + mass_lines(report.certificate.mass, report.certificate.encloses,
                            volume_doubt(report.certificate), r.model.unit, {});
  if (report.largest_rounding > 0) {
    text += fmt::format("  rounded   points by at most {} {} on writing\n",
                        brief(report.largest_rounding), unit);
  }
  return text + written_lines(report, options);
}

}  // namespace aguja
