#pragma once
/// \file
/// Plain text tables for terminals and log files.

#include <string>
#include <string_view>
#include <vector>

namespace aguja {

enum class Align { left, right };

/// Columns as wide as their widest cell. If the table is wider than asked, the last column is cut,
/// with an ellipsis. Widths count characters, not bytes.
class TextTable {
 public:
  struct Column {
    std::string head;
    Align align = Align::left;
  };
  explicit TextTable(std::vector<Column> columns) : columns_(std::move(columns)) {}

  void add(std::vector<std::string> cells) { rows_.push_back(std::move(cells)); }
  /// Lines indented by two, each ended by a line feed; nothing if there are no rows.
  [[nodiscard]] std::string text(std::size_t width) const;

 private:
  std::vector<Column> columns_;
  std::vector<std::vector<std::string>> rows_;
};

/// Breaks text at blanks into lines of at most `width`, each indented.
[[nodiscard]] std::string wrapped(std::string_view text, std::size_t width, std::size_t indent);

/// `1234567` becomes `1 234 567`.
[[nodiscard]] std::string grouped(std::size_t number);

}  // namespace aguja
