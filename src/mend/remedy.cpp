#include "aguja/mend/remedy.h"

#include <algorithm>
#include <array>

namespace aguja {

std::span<const Remedy> all_remedies() {
  static const std::array kAll = {
      Remedy(remedies::weld),   Remedy(remedies::stitch),   Remedy(remedies::close_gaps),
      Remedy(remedies::fill),   Remedy(remedies::collapse), Remedy(remedies::orient),
      Remedy(remedies::drop),   Remedy(remedies::resolve),  Remedy(remedies::absorb),
      Remedy(remedies::refit),  Remedy(remedies::move),     Remedy(remedies::join),
      Remedy(remedies::turn),   Remedy(remedies::delete_),  Remedy(remedies::add),
      Remedy(remedies::bridge), Remedy(remedies::copy),     Remedy(remedies::cut),
      Remedy(remedies::offset), Remedy(remedies::refine),   Remedy(remedies::wrap)};
  return kAll;
}

std::optional<Remedy> parse_remedy(std::string_view slug, std::span<const Remedy> more) {
  for (const std::span<const Remedy> some : {all_remedies(), more}) {
    for (const Remedy r : some) {
      if (r.info().slug == slug) return r;
    }
  }
  return std::nullopt;
}

std::vector<Point> SettingReader::points(const std::string& key) const {
  const auto values = get<std::vector<double>>(key);
  if (!values) return {};
  if (values->empty() || values->size() % 3 != 0) fail("'" + key + "' needs numbers in threes");
  std::vector<Point> out;
  for (std::size_t i = 0; i < values->size(); i += 3) {
    out.emplace_back((*values)[i], (*values)[i + 1], (*values)[i + 2]);
  }
  return out;
}

std::optional<Point> SettingReader::point(const std::string& key) const {
  const std::vector<Point> all = points(key);
  if (all.empty()) return std::nullopt;
  if (all.size() > 1) fail("'" + key + "' is one point");
  return all[0];
}

bool RemedyTarget::has(FindingKind kind) const {
  return std::any_of(findings.begin(), findings.end(),
                     [&](const Finding* f) { return f->kind == kind; });
}

std::vector<TriangleId> RemedyTarget::triangles_of(std::initializer_list<FindingKind> kinds) const {
  std::vector<TriangleId> all;
  for (const Finding* f : findings) {
    if (std::find(kinds.begin(), kinds.end(), f->kind) == kinds.end()) continue;
    const auto own = triangles_in(*f, part);
    all.insert(all.end(), own.begin(), own.end());
  }
  std::sort(all.begin(), all.end());
  all.erase(std::unique(all.begin(), all.end()), all.end());
  return all;
}

}  // namespace aguja
