#include "aguja/report/data_json.h"

#include <array>
#include <string>
#include <utility>

#include "aguja/base/error.h"
#include "report/json_parts.h"

namespace aguja {
namespace {

constexpr std::array kCountFields = {
    std::pair{"triangles", &Counts::triangles},
    std::pair{"vertices", &Counts::vertices},
    std::pair{"edges", &Counts::edges},
    std::pair{"naked_edges", &Counts::naked_edges},
    std::pair{"nonmanifold_edges", &Counts::nonmanifold_edges},
    std::pair{"nonmanifold_vertices", &Counts::nonmanifold_vertices},
    std::pair{"winding_conflicts", &Counts::winding_conflicts},
    std::pair{"zero_area", &Counts::zero_area},
    std::pair{"duplicates", &Counts::duplicates},
    std::pair{"components", &Counts::components},
    std::pair{"rims", &Counts::rims},
    std::pair{"crossing_pairs", &Counts::crossing_pairs},
    std::pair{"overlap_pairs", &Counts::overlap_pairs},
    std::pair{"touch_pairs", &Counts::touch_pairs},
    std::pair{"inverted_shells", &Counts::inverted_shells},
    std::pair{"internal_triangles", &Counts::internal_triangles}};

[[noreturn]] void fail_at_field(const std::string& field, const std::string& expected,
                                const std::string& found) {
  throw InputError({InputProblem::syntax, "json", std::nullopt,
                    "'" + field + "': expected " + expected + ", found " + found, expected, found});
}

// Reads fields, and says which one is wrong.
class JsonFields {
 public:
  explicit JsonFields(const Json& json, std::string name = "")
      : json_(json), name_(std::move(name)) {
    if (!json.is_object()) fail_at_field(name_, "an object", json.type_name());
  }

  [[nodiscard]] const Json& at(const std::string& key) const {
    const auto found = json_.find(key);
    if (found == json_.end()) fail_at_field(name_ + key, "a value", "none");
    return *found;
  }
  template <class T>
  [[nodiscard]] T get(const std::string& key) const {
    return value_of<T>(at(key), name_ + key);
  }
  template <class T>
  [[nodiscard]] std::optional<T> find(const std::string& key) const {
    const Json& value = at(key);
    return value.is_null() ? std::nullopt : std::optional<T>(value_of<T>(value, name_ + key));
  }
  [[nodiscard]] Point point(const std::string& key) const {
    const Json& value = at(key);
    if (!value.is_array() || value.size() != 3) {
      fail_at_field(name_ + key, "three numbers", value.dump());
    }
    Point p;
    for (std::size_t i = 0; i < 3; ++i) {
      p[static_cast<Eigen::Index>(i)] = value_of<double>(value[i], name_ + key);
    }
    return p;
  }
  [[nodiscard]] Box box(const std::string& key) const {
    Box out;
    if (at(key).is_null()) return out;
    const Json& value = at(key);
    if (!value.is_array() || value.size() != 2) {
      fail_at_field(name_ + key, "two corners", value.dump());
    }
    const Json corners = {{"low", value[0]}, {"high", value[1]}};
    const JsonFields own(corners, name_ + key + ".");
    out.low = own.point("low");
    out.high = own.point("high");
    return out;
  }
  [[nodiscard]] const Json& list(const std::string& key) const {
    const Json& value = at(key);
    if (!value.is_array()) fail_at_field(name_ + key, "a list", value.type_name());
    return value;
  }
  template <class T, class Parse>
  [[nodiscard]] T word(const std::string& key, const Parse& parse) const {
    const auto text = get<std::string>(key);
    const std::optional<T> value = parse(text);
    if (!value) fail_at_field(name_ + key, "a known word", "'" + text + "'");
    return *value;
  }

 private:
  template <class T>
  static T value_of(const Json& value, const std::string& name) {
    const bool fits = std::is_same_v<T, bool>          ? value.is_boolean()
                      : std::is_same_v<T, std::string> ? value.is_string()
                      : std::is_same_v<T, double>      ? value.is_number()
                      : std::is_signed_v<T>            ? value.is_number_integer()
                                                       : value.is_number_unsigned();
    if (!fits) fail_at_field(name, "a value of another type", value.dump());
    if constexpr (std::is_same_v<T, std::uint32_t>) {
      if (value.template get<std::uint64_t>() > kNoIndex) {
        fail_at_field(name, "at most 4294967295", value.dump());
      }
    }
    return value.template get<T>();
  }

  const Json& json_;
  std::string name_;
};

template <class T>
Json or_null(const std::optional<T>& value) {
  return value ? Json(*value) : Json(nullptr);
}

template <class T, std::size_t N>
std::optional<T> parse_slug(std::string_view text) {
  for (std::size_t i = 0; i < N; ++i) {
    if (slug(static_cast<T>(i)) == text) return static_cast<T>(i);
  }
  return std::nullopt;
}

Json mass_json(const MassProperties& m) {
  return {{"volume", m.volume},
          {"area", m.area},
          {"centroid", point_json(m.centroid)},
          {"inertia", matrix_json(m.inertia)}};
}
MassProperties mass_of(const Json& json, const std::string& name) {
  const JsonFields f(json, name);
  MassProperties m;
  m.volume = f.get<double>("volume");
  m.area = f.get<double>("area");
  m.centroid = f.point("centroid");
  const Json& rows = f.list("inertia");
  if (rows.size() != 3) fail_at_field(name + "inertia", "three rows", rows.dump());
  for (std::size_t r = 0; r < 3; ++r) {
    const Json row = {{"row", rows[r]}};
    m.inertia.row(static_cast<Eigen::Index>(r)) = JsonFields(row, name + "inertia.").point("row");
  }
  return m;
}

Json shell_data(const CertifiedShell& s) {
  const Shell& shell = s.shell;
  return {{"part", s.part},
          {"triangles", shell.triangles},
          {"first_triangle", shell.first_triangle.value},
          {"box", box_json(shell.box)},
          {"closed", shell.closed},
          {"manifold", shell.manifold},
          {"oriented", shell.oriented},
          {"mass", mass_json(shell.mass)},
          {"volume_sign", shell.volume_sign},
          {"euler", shell.euler},
          {"genus", or_null(shell.genus)},
          {"inside_of", or_null(s.inside_of)},
          {"inside_of_in_part", or_null(shell.inside_of)},
          {"depth", shell.depth},
          {"nesting_decided", shell.nesting_decided},
          {"waits_for_shell", or_null(shell.waits_for_shell)}};
}
CertifiedShell shell_of_data(const Json& json) {
  const JsonFields f(json, "shells.");
  CertifiedShell s;
  s.part = f.get<std::string>("part");
  s.shell.triangles = f.get<std::size_t>("triangles");
  s.shell.first_triangle = {f.get<std::uint32_t>("first_triangle")};
  s.shell.box = f.box("box");
  s.shell.closed = f.get<bool>("closed");
  s.shell.manifold = f.get<bool>("manifold");
  s.shell.oriented = f.get<bool>("oriented");
  s.shell.mass = mass_of(f.at("mass"), "shells.mass.");
  s.shell.volume_sign = f.get<int>("volume_sign");
  s.shell.euler = f.get<long long>("euler");
  s.shell.genus = f.find<long long>("genus");
  s.inside_of = f.find<std::size_t>("inside_of");
  s.shell.inside_of = f.find<std::size_t>("inside_of_in_part");
  s.shell.depth = f.get<std::size_t>("depth");
  s.shell.nesting_decided = f.get<bool>("nesting_decided");
  s.shell.waits_for_shell = f.find<std::size_t>("waits_for_shell");
  return s;
}

}  // namespace

Json data_json(const Counts& counts) {
  Json out = Json::object();
  for (const auto& [name, field] : kCountFields) out[name] = counts.*field;
  out["more_pairs"] = counts.more_pairs;
  return out;
}

Counts counts_of(const Json& json) {
  const JsonFields fields(json, "counts.");
  Counts counts;
  for (const auto& [name, field] : kCountFields) counts.*field = fields.get<std::size_t>(name);
  counts.more_pairs = fields.get<bool>("more_pairs");
  return counts;
}

namespace {

Json numbers_json(std::span<const TriangleId> triangles) {
  Json numbers = Json::array();
  for (const TriangleId t : triangles) numbers.push_back(t.value);
  return numbers;
}

std::vector<TriangleId> triangles_of(const JsonFields& fields, const std::string& where) {
  std::vector<TriangleId> triangles;
  for (const Json& t : fields.list("triangles")) {
    const Json one = {{"triangle", t}};
    triangles.push_back({JsonFields(one, where).get<std::uint32_t>("triangle")});
  }
  return triangles;
}

}  // namespace

Json data_json(const Finding& f) {
  Json waits = Json::array(), causes = Json::array(), further = Json::array();
  for (const PartEntities& p : f.further_parts) {
    further.push_back({{"part", p.part},
                       {"part_index", p.part_index},
                       {"triangles", numbers_json(p.triangles)},
                       {"triangle_total", p.triangle_total}});
  }
  for (const FindingKind k : f.waits_for) waits.push_back(slug(k));
  for (const Symptom& s : f.cause_of) {
    causes.push_back({{"kind", slug(s.kind)}, {"count", s.count}});
  }
  Json widths = nullptr;
  if (f.widths) {
    widths = {{"least", f.widths->least},
              {"median", f.widths->median},
              {"largest", f.widths->largest},
              {"length", f.widths->length},
              {"hanging", f.widths->hanging}};
  }
  return {{"id", f.id},
          {"identity", f.identity},
          {"kind", slug(f.kind)},
          {"severity", slug(f.severity)},
          {"part", f.part},
          {"part_index", or_null(f.part_index)},
          {"count", f.count},
          {"place", point_json(f.place)},
          {"box", box_json(f.box)},
          {"measure", f.measure},
          {"limit", or_null(f.limit)},
          {"reach", or_null(f.reach)},
          {"depth", or_null(f.depth)},
          {"widths", std::move(widths)},
          {"detail", f.detail},
          {"triangles", numbers_json(f.triangles)},
          {"triangle_total", f.triangle_total},
          {"waits_for", std::move(waits)},
          {"cause_of", std::move(causes)},
          {"waived", or_null(f.waived)},
          {"face", or_null(f.face)},
          {"entity", or_null(f.entity)},
          {"further_parts", std::move(further)}};
}

Finding finding_of(const Json& json) {
  const JsonFields f(json, "finding.");
  const auto kind_of = [](const Json& word) {
    const auto kind = parse_finding_kind(word.is_string() ? word.get<std::string>() : "");
    if (!kind) fail_at_field("finding.kind", "a known word", word.dump());
    return *kind;
  };
  Finding out;
  out.id = f.get<std::string>("id");
  out.identity = f.get<std::uint64_t>("identity");
  out.kind = kind_of(f.at("kind"));
  out.severity = f.word<Severity>("severity", parse_severity);
  out.part = f.get<std::string>("part");
  out.part_index = f.find<std::size_t>("part_index");
  out.count = f.get<std::size_t>("count");
  out.place = f.point("place");
  out.box = f.box("box");
  out.measure = f.get<double>("measure");
  out.limit = f.find<double>("limit");
  out.reach = f.find<double>("reach");
  out.depth = f.find<double>("depth");
  if (!f.at("widths").is_null()) {
    const JsonFields w(f.at("widths"), "finding.widths.");
    out.widths =
        WidthProfile{w.get<double>("least"), w.get<double>("median"), w.get<double>("largest"),
                     w.get<double>("length"), w.get<std::size_t>("hanging")};
  }
  out.detail = f.get<std::string>("detail");
  out.triangles = triangles_of(f, "finding.");
  out.triangle_total = f.get<std::size_t>("triangle_total");
  for (const Json& k : f.list("waits_for")) out.waits_for.push_back(kind_of(k));
  for (const Json& c : f.list("cause_of")) {
    const JsonFields cause(c, "finding.cause_of.");
    out.cause_of.push_back({kind_of(cause.at("kind")), cause.get<std::size_t>("count")});
  }
  out.waived = f.find<std::string>("waived");
  out.face = f.find<std::uint32_t>("face");
  out.entity = f.find<std::uint64_t>("entity");
  for (const Json& p : f.list("further_parts")) {
    const JsonFields part(p, "finding.further_parts.");
    out.further_parts.push_back({part.get<std::string>("part"), part.get<std::size_t>("part_index"),
                                 triangles_of(part, "finding.further_parts."),
                                 part.get<std::size_t>("triangle_total")});
  }
  return out;
}

Json data_json(const Certificate& c) {
  Json reasons = Json::array(), shells = Json::array();
  for (const Reason& r : c.reasons) {
    reasons.push_back(
        {{"kind", slug(r.kind)}, {"part", r.part}, {"count", r.count}, {"text", r.text}});
  }
  for (const CertifiedShell& s : c.shells) shells.push_back(shell_data(s));
  Json parts = Json::array(), pairs = Json::array();
  for (const Verdict v : c.part_verdicts) parts.push_back(slug(v));
  for (const PartPair& p : c.pairs) {
    pairs.push_back({{"first", p.first},
                     {"second", p.second},
                     {"relation", slug(p.relation)},
                     {"volume", or_null(p.volume)},
                     {"depth", or_null(p.depth)},
                     {"area", p.area},
                     {"tolerance", p.tolerance},
                     {"box", box_json(p.box)}});
  }
  return {{"verdict", slug(c.verdict)},
          {"reasons", std::move(reasons)},
          {"shells", std::move(shells)},
          {"mass", mass_json(c.mass)},
          {"encloses", c.encloses},
          {"counts", data_json(c.counts)},
          {"part_verdicts", std::move(parts)},
          {"pairs", std::move(pairs)}};
}

Certificate certificate_of(const Json& json) {
  constexpr std::size_t kVerdicts = 3, kReasons = 19;
  const JsonFields f(json, "certificate.");
  Certificate out;
  out.verdict = f.word<Verdict>("verdict", parse_slug<Verdict, kVerdicts>);
  for (const Json& r : f.list("reasons")) {
    const JsonFields reason(r, "certificate.reasons.");
    out.reasons.push_back({reason.word<ReasonKind>("kind", parse_slug<ReasonKind, kReasons>),
                           reason.get<std::string>("part"), reason.get<std::size_t>("count"),
                           reason.get<std::string>("text")});
  }
  for (const Json& s : f.list("shells")) out.shells.push_back(shell_of_data(s));
  out.mass = mass_of(f.at("mass"), "certificate.mass.");
  out.encloses = f.get<bool>("encloses");
  out.counts = counts_of(f.at("counts"));
  for (const Json& v : f.list("part_verdicts")) {
    const auto verdict = parse_slug<Verdict, kVerdicts>(v.is_string() ? v.get<std::string>() : "");
    if (!verdict) fail_at_field("certificate.part_verdicts", "a verdict", v.dump());
    out.part_verdicts.push_back(*verdict);
  }
  for (const Json& p : f.list("pairs")) {
    const JsonFields pair(p, "certificate.pairs.");
    out.pairs.push_back({pair.get<std::size_t>("first"), pair.get<std::size_t>("second"),
                         pair.word<PartRelation>("relation", parse_slug<PartRelation, 4>),
                         pair.find<double>("volume"), pair.find<double>("depth"),
                         pair.get<double>("area"), pair.get<double>("tolerance"), pair.box("box")});
  }
  return out;
}

}  // namespace aguja
