#include "aguja/report/cut_report.h"

#include <fmt/format.h>

#include "report/json_parts.h"
#include "report/operand_parts.h"
#include "report/text_parts.h"

namespace aguja {
namespace {

Json section_json(const PartSection& s) {
  const PlaneSection& section = s.section;
  Json outlines = Json::array();
  for (const SectionOutline& o : section.outlines) {
    Json points = Json::array();
    for (const Point& p : o.points) points.push_back(point_json(p));
    outlines.push_back({{"closed", o.is_closed},
                        {"length", o.length},
                        {"area", o.is_closed ? Json(o.area) : Json(nullptr)},
                        {"points", std::move(points)}});
  }
  Json moments = Json::array();
  for (int row = 0; row < 3; ++row) {
    moments.push_back(point_json(Point(section.second_moments.row(row))));
  }
  const bool has_area = !section.is_open();
  return {{"part", s.part},
          {"cutter", s.cutter},
          {"plane",
           {{"through", point_json(section.plane.through)},
            {"normal", point_json(section.plane.normal.stableNormalized())}}},
          {"area", has_area ? Json(section.area) : Json(nullptr)},
          {"length", section.length},
          {"centroid", point_json(section.centroid)},
          {"second_moments", has_area ? std::move(moments) : Json(nullptr)},
          {"main_moments", has_area ? Json(section.main_moments()) : Json(nullptr)},
          {"outlines", std::move(outlines)}};
}

std::string section_lines(const CutReport& report, const TextOptions& options) {
  if (report.result.sections.empty()) return {};
  const std::string_view unit = symbol(report.result.model.unit);
  std::string text = fmt::format("\n{}\n", plural(report.result.sections.size(), "section"));
  TextTable table({{"part", Align::left},
                   {"by", Align::left},
                   {fmt::format("area {}²", unit), Align::right},
                   {"outlines", Align::right},
                   {fmt::format("length {}", unit), Align::right},
                   {fmt::format("second moments {}⁴", unit), Align::right},
                   {"centroid", Align::left}});
  for (const PartSection& s : report.result.sections) {
    const bool is_open = s.section.is_open();
    const auto [least, most] = s.section.main_moments();
    table.add({s.part, s.cutter, is_open ? "open" : brief(s.section.area),
               std::to_string(s.section.outlines.size()), brief(s.section.length),
               is_open ? "-" : fmt::format("{}, {}", brief(least), brief(most)),
               brief(s.section.centroid)});
  }
  return text + table.text(options.width);
}

std::string trouble_lines(const CutReport& report, const TextOptions& options) {
  std::string text = "\nNothing was made:\n";
  for (const CutTrouble& t : report.result.troubles) {
    text += wrapped(fmt::format("'{}' by {}: {}, at {}", t.part, t.cutter, t.text, brief(t.place)),
                    options.width, 2);
  }
  return text;
}

}  // namespace

nlohmann::ordered_json cut_json(const CutReport& report, const RunFacts& facts) {
  const CutModel& r = report.result;
  Json object;
  object["schema"] = schema_json("cut");
  add_model(object, r.model);
  object["operation"] = "cut";
  object["cutters"] = report.cutters;
  object["capped"] = report.is_capped;
  object["operands"] = operands_json(report.operands);
  object["cut"] = r.cut;
  object["pieces"] = pieces_json(report.certificate);
  object["left_out"] = r.left_out;
  Json sections = Json::array();
  for (const PartSection& s : r.sections) sections.push_back(section_json(s));
  object["sections"] = std::move(sections);
  object["sections_file"] =
      report.sections_file.empty() ? Json(nullptr) : Json(report.sections_file);
  Json troubles = Json::array();
  for (const CutTrouble& t : r.troubles) {
    troubles.push_back(
        {{"part", t.part}, {"cutter", t.cutter}, {"text", t.text}, {"place", point_json(t.place)}});
  }
  object["troubles"] = std::move(troubles);
  object["rounding"] = rounding_json(r.rounding);
  object["off_plane"] = r.off_plane;
  object["largest_rounding"] = report.largest_rounding;
  add_written(object, r.model, report);
  if (!report.is_made()) object["certificate"] = nullptr;
  add_facts(object, facts);
  return object;
}

std::string cut_text(const CutReport& report, const TextOptions& options) {
  const CutModel& r = report.result;
  const std::string_view unit = symbol(r.model.unit);
  std::string text = "Cut by ";
  for (std::size_t i = 0; i < report.cutters.size(); ++i) {
    text += (i == 0 ? "" : ", ") + report.cutters[i];
  }
  text += report.is_capped ? "\n" : ", left open\n";
  text += note_lines(r.model, options.width) + "\n";
  text += operand_lines(report.operands, r.model.unit, options);
  if (!r.troubles.empty()) return text + trouble_lines(report, options);
  if (!report.is_made())
    return text + "\nNothing is left: no piece lies on the side that is kept.\n";
  if (r.cut.empty()) text += "\nNothing was cut: no part lies on both sides.\n";
  if (report.is_capped) {
    text += piece_lines(report.certificate, r.model.unit, options);
  } else {
    text += "\n" + plural(r.model.parts.size(), "part") + "\n";
    for (const Part& part : r.model.parts) {
      text +=
          fmt::format("  {}  {}\n", part.name, plural(part.mesh().triangles.size(), "triangle"));
    }
  }
  text += section_lines(report, options);
  if (!r.left_out.empty()) {
    text += "\n";
    for (const std::string& name : r.left_out) text += fmt::format("  left out  {}\n", name);
  }
  text += fmt::format("\n  cut       {}\n", plural(r.rounding.points, "new point"));
  if (r.rounding.moved > 0) {
    text += fmt::format("  moved     at most {} {}, by rounding\n", brief(r.rounding.moved), unit);
  }
  if (r.off_plane > 0) {
    text += fmt::format("  caps      at most {} {} from their plane\n", brief(r.off_plane), unit);
  }
  if (report.is_capped) {
    text += verdict_lines(r.model, report.certificate, options);
    text += "\n" + mass_lines(report.certificate.mass, report.certificate.encloses,
                              volume_doubt(report.certificate), r.model.unit, {});
  }
  if (report.largest_rounding > 0) {
    text += fmt::format("  rounded   points by at most {} {} on writing\n",
                        brief(report.largest_rounding), unit);
  }
  if (!report.sections_file.empty()) {
    text += fmt::format("  sections  written to {}\n", report.sections_file);
  }
  return text + written_lines(report, options);
}

}  // namespace aguja
