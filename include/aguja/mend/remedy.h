#pragma once
/// \file
/// The registry of remedies: what each is called, what it can be told, and whether it is there.

#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

namespace aguja {

enum class Remedy {
  weld,
  stitch,
  close_gaps,
  fill,
  collapse,
  orient,
  drop,
  absorb,
  refit,
  // By hand.
  move,
  join,
  turn,
  delete_,
  add,
  bridge,
  copy,
  // Not there yet: plans that name them are read, and the steps refused.
  resolve,
  cut,
  offset,
  refine,
  wrap,
};

/// What a setting may be.
enum class SettingType { flag, number, length, word, point, points };

struct SettingInfo {
  std::string_view key;
  SettingType type;
  std::string_view what;
};

struct RemedyInfo {
  Remedy remedy;
  std::string_view slug;
  std::string_view what;
  bool is_there;
  bool by_hand;  ///< carried out as told and flagged, not refused, if it makes something worse
  std::span<const SettingInfo> settings;
};
[[nodiscard]] std::span<const RemedyInfo> all_remedies();
[[nodiscard]] const RemedyInfo& info(Remedy remedy);
[[nodiscard]] std::string_view slug(Remedy remedy);
[[nodiscard]] std::optional<Remedy> parse_remedy(std::string_view slug);

/// A flag, a number (lengths in model units), a word, or numbers in threes.
using Setting = std::variant<bool, double, std::string, std::vector<double>>;
using Settings = std::map<std::string, Setting>;

}  // namespace aguja
