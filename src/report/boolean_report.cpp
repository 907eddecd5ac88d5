#include "aguja/report/boolean_report.h"

#include <fmt/format.h>

#include "report/json_parts.h"
#include "report/operand_parts.h"
#include "report/text_parts.h"

namespace aguja {

nlohmann::ordered_json boolean_json(const Model& model, const BooleanReport& report,
                                    const RunFacts& facts) {
  const SetOperationResult& r = report.result;
  Json object;
  object["schema"] = schema_json("boolean");
  add_model(object, model);
  object["operation"] = slug(report.operation);
  object["operands"] = operands_json(r.operands);
  object["resolved_first"] = report.resolved_first;
  object["pairs"] = r.pairs;
  object["pieces"] = pieces_json(report.certificate);
  object["gone"] = r.gone;
  object["rounding"] = rounding_json(r.rounding);
  object["largest_rounding"] = report.largest_rounding;
  add_written(object, model, report);
  if (!report.is_made()) object["certificate"] = nullptr;
  add_facts(object, facts);
  return object;
}

std::string boolean_text(const Model& model, const BooleanReport& report,
                         const TextOptions& options) {
  const SetOperationResult& r = report.result;
  std::string text = fmt::format("{} of {}\n", slug(report.operation),
                                 plural(r.operands.size(), "body", "bodies"));
  text[0] = static_cast<char>(text[0] - 'a' + 'A');
  text += note_lines(model, options.width) + "\n" + operand_lines(r.operands, model.unit, options);
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
  text += piece_lines(report.certificate, model.unit, options);
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
