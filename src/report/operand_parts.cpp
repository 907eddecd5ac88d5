#include "report/operand_parts.h"

#include <algorithm>

#include <fmt/format.h>

#include "report/text_parts.h"

namespace aguja {

Json operands_json(std::span<const OperandFacts> operands) {
  Json list = Json::array();
  for (const OperandFacts& o : operands) {
    list.push_back({{"part", o.name},
                    {"volume", o.volume},
                    {"verdict", slug(o.verdict)},
                    {"problem", o.problem.empty() ? Json(nullptr) : Json(o.problem)}});
  }
  return list;
}

Json pieces_json(const Certificate& certificate) {
  Json list = Json::array();
  for (const PieceFacts& p : pieces_of(certificate)) {
    list.push_back({{"part", p.part},
                    {"volume", p.volume},
                    {"shells", p.shells},
                    {"genus", p.genus ? Json(*p.genus) : Json(nullptr)},
                    {"place", point_json(p.place)}});
  }
  return list;
}

Json rounding_json(const RoundingReport& rounding) {
  return {{"rounds", rounding.rounds},
          {"moved", rounding.moved},
          {"points", rounding.points},
          {"refused", rounding.crossing}};
}

std::string operand_lines(std::span<const OperandFacts> operands, LengthUnit unit,
                          const TextOptions& options) {
  TextTable table({{"operand", Align::left},
                   {fmt::format("volume {}³", symbol(unit)), Align::right},
                   {"by itself", Align::left}});
  for (const OperandFacts& o : operands) {
    const bool has_volume = o.problem.empty() || o.volume != 0;
    std::string what(slug(o.verdict));
    if (!o.problem.empty()) what += ": " + o.problem;
    table.add({o.name, has_volume ? brief(o.volume) : "-", what});
  }
  return table.text(options.width);
}

std::string piece_lines(const Certificate& certificate, LengthUnit unit,
                        const TextOptions& options) {
  const std::vector<PieceFacts> pieces = pieces_of(certificate);
  constexpr std::size_t kMostRows = 12;
  std::string text = fmt::format("\n{}\n", plural(pieces.size(), "piece"));
  const bool have_names = std::any_of(
      pieces.begin(), pieces.end(), [&](const PieceFacts& p) { return p.part != pieces[0].part; });
  std::vector<TextTable::Column> columns = {{"piece", Align::right}};
  if (have_names) columns.push_back({"part", Align::left});
  for (const std::string& title :
       {fmt::format("volume {}³", symbol(unit)), std::string("shells"), std::string("genus")}) {
    columns.push_back({title, Align::right});
  }
  columns.push_back({"about", Align::left});
  TextTable table(columns);
  for (std::size_t i = 0; i < std::min(kMostRows, pieces.size()); ++i) {
    const PieceFacts& p = pieces[i];
    std::vector<std::string> row = {std::to_string(i + 1)};
    if (have_names) row.push_back(p.part);
    row.insert(row.end(), {brief(p.volume), std::to_string(p.shells),
                           p.genus ? std::to_string(*p.genus) : "-", brief(p.place)});
    table.add(std::move(row));
  }
  text += table.text(options.width);
  if (pieces.size() > kMostRows) text += "  and more; --json lists them all\n";
  return text;
}

}  // namespace aguja
