#include "aguja/report/boolean_report.h"

#include <fmt/format.h>

#include "report/json_parts.h"
#include "report/text_parts.h"

namespace aguja {

nlohmann::ordered_json boolean_json(const Model& model, const BooleanReport& report,
                                    const RunFacts& facts) {
  const SetOperationResult& r = report.result;
  Json object;
  object["schema"] = schema_json("boolean");
  add_model(object, model);
  object["operation"] = slug(report.operation);
  Json operands = Json::array();
  for (const OperandFacts& o : r.operands) {
    operands.push_back({{"part", o.name},
                        {"volume", o.volume},
                        {"verdict", slug(o.verdict)},
                        {"problem", o.problem.empty() ? Json(nullptr) : Json(o.problem)}});
  }
  object["operands"] = std::move(operands);
  object["resolved_first"] = report.resolved_first;
  object["pairs"] = r.pairs;
  Json pieces = Json::array();
  for (const PieceFacts& p : pieces_of(report.certificate)) {
    pieces.push_back({{"part", p.part},
                      {"volume", p.volume},
                      {"shells", p.shells},
                      {"genus", p.genus ? Json(*p.genus) : Json(nullptr)},
                      {"place", point_json(p.place)}});
  }
  object["pieces"] = std::move(pieces);
  object["gone"] = r.gone;
  object["rounding"] = {{"rounds", r.rounding.rounds},
                        {"moved", r.rounding.moved},
                        {"points", r.rounding.points},
                        {"refused", r.rounding.crossing}};
  object["largest_rounding"] = report.largest_rounding;
  add_written(object, model, report);
  if (!report.is_made()) object["certificate"] = nullptr;
  add_facts(object, facts);
  return object;
}

namespace {

std::string operand_lines(const Model& model, const BooleanReport& report,
                          const TextOptions& options) {
  TextTable table({{"operand", Align::left},
                   {fmt::format("volume {}³", symbol(model.unit)), Align::right},
                   {"by itself", Align::left}});
  for (const OperandFacts& o : report.result.operands) {
    const bool has_volume = o.problem.empty() || o.volume != 0;
    std::string what(slug(o.verdict));
    if (!o.problem.empty()) what += ": " + o.problem;
    table.add({o.name, has_volume ? brief(o.volume) : "-", what});
  }
  return table.text(options.width);
}

std::string piece_lines(const Model& model, const BooleanReport& report,
                        const TextOptions& options) {
  const std::vector<PieceFacts> pieces = pieces_of(report.certificate);
  constexpr std::size_t kMostRows = 12;
  std::string text = fmt::format("\n{}\n", plural(pieces.size(), "piece"));
  TextTable table({{"piece", Align::right},
                   {fmt::format("volume {}³", symbol(model.unit)), Align::right},
                   {"shells", Align::right},
                   {"genus", Align::right},
                   {"about", Align::left}});
  for (std::size_t i = 0; i < std::min(kMostRows, pieces.size()); ++i) {
    const PieceFacts& p = pieces[i];
    table.add({std::to_string(i + 1), brief(p.volume), std::to_string(p.shells),
               p.genus ? std::to_string(*p.genus) : "-", brief(p.place)});
  }
  text += table.text(options.width);
  if (pieces.size() > kMostRows) text += "  and more; --json lists them all\n";
  return text;
}

}  // namespace

std::string boolean_text(const Model& model, const BooleanReport& report,
                         const TextOptions& options) {
  const SetOperationResult& r = report.result;
  std::string text = fmt::format("{} of {}\n", slug(report.operation),
                                 plural(r.operands.size(), "body", "bodies"));
  text[0] = static_cast<char>(text[0] - 'a' + 'A');
  text += note_lines(model, options.width) + "\n" + operand_lines(model, report, options);
  for (const std::string& line : report.resolved_first) text += wrapped(line, options.width, 2);
  if (!r.part) {
    const bool rounding = r.rounding.crossing > 0;
    text += rounding ? fmt::format(
                           "\nNothing was made: {} still cross after rounding. A larger "
                           "--tolerance may do.\n",
                           plural(r.rounding.crossing, "pair of triangles", "pairs of triangles"))
                     : "\nNothing was made: an operand must be closed, face outward and fill its "
                       "space once. Mend it first, or try --resolve-first.\n";
    return text;
  }
  if (!report.is_made()) return text + "\nNothing is left: the result has no volume.\n";
  text += piece_lines(model, report, options);
  for (const std::string& name : r.gone) {
    text += fmt::format("  nothing of the surface of '{}' is left\n", name);
  }
  text += fmt::format("\n  cut       {} of triangles, {}\n", plural(r.pairs, "pair"),
                      plural(r.rounding.points, "new point"));
  if (r.rounding.moved > 0) {
    text += fmt::format("  moved     at most {} {}, by rounding\n", brief(r.rounding.moved),
                        symbol(model.unit));
  }
  text += verdict_lines(model, report.certificate, options);
  text += "\n" + mass_lines(report.certificate.mass, report.certificate.encloses,
                            volume_doubt(report.certificate), model.unit, {});
  if (report.largest_rounding > 0) {
    text += fmt::format("  rounded   points by at most {} {} on writing\n",
                        brief(report.largest_rounding), symbol(model.unit));
  }
  return text + written_lines(report, options);
}

}  // namespace aguja
