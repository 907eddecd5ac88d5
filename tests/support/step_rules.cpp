#include "tests/support/step_rules.h"

#include <algorithm>
#include <map>
#include <regex>
#include <set>

#include "formats/step_geometry.h"

namespace aguja::test {
namespace {

using detail::Entity;
using detail::Fields;
using detail::Part21;
using detail::Record;
using detail::Value;
using Names = std::set<std::string_view>;

const Names kCurves = {"LINE",      "CIRCLE",   "ELLIPSE",        "PARABOLA",
                       "HYPERBOLA", "POLYLINE", "B_SPLINE_CURVE", "B_SPLINE_CURVE_WITH_KNOTS"};
const Names kSurfaces = {"PLANE",
                         "CYLINDRICAL_SURFACE",
                         "CONICAL_SURFACE",
                         "SPHERICAL_SURFACE",
                         "TOROIDAL_SURFACE",
                         "DEGENERATE_TOROIDAL_SURFACE",
                         "B_SPLINE_SURFACE",
                         "B_SPLINE_SURFACE_WITH_KNOTS",
                         "SURFACE_OF_LINEAR_EXTRUSION",
                         "SURFACE_OF_REVOLUTION",
                         "OFFSET_SURFACE"};
const Names kFaces = {"ADVANCED_FACE", "FACE_SURFACE"};

// What a value of a type, by its place, has to name: one, or a list of them.
struct Rule {
  std::string_view type;
  std::size_t value;
  Names names;
};
const std::vector<Rule> kRules = {
    {"CIRCLE", 1, {"AXIS2_PLACEMENT_3D"}},
    {"LINE", 1, {"CARTESIAN_POINT"}},
    {"LINE", 2, {"VECTOR"}},
    {"VECTOR", 1, {"DIRECTION"}},
    {"AXIS2_PLACEMENT_3D", 1, {"CARTESIAN_POINT"}},
    {"AXIS2_PLACEMENT_3D", 2, {"DIRECTION"}},
    {"AXIS2_PLACEMENT_3D", 3, {"DIRECTION"}},
    {"PLANE", 1, {"AXIS2_PLACEMENT_3D"}},
    {"VERTEX_POINT", 1, {"CARTESIAN_POINT"}},
    {"EDGE_CURVE", 1, {"VERTEX_POINT"}},
    {"EDGE_CURVE", 2, {"VERTEX_POINT"}},
    {"EDGE_CURVE", 3, kCurves},
    {"ORIENTED_EDGE", 3, {"EDGE_CURVE"}},
    {"EDGE_LOOP", 1, {"ORIENTED_EDGE"}},
    {"VERTEX_LOOP", 1, {"VERTEX_POINT"}},
    {"POLY_LOOP", 1, {"CARTESIAN_POINT"}},
    {"FACE_BOUND", 1, {"EDGE_LOOP", "VERTEX_LOOP", "POLY_LOOP"}},
    {"FACE_OUTER_BOUND", 1, {"EDGE_LOOP", "VERTEX_LOOP", "POLY_LOOP"}},
    {"ADVANCED_FACE", 1, {"FACE_BOUND", "FACE_OUTER_BOUND"}},
    {"ADVANCED_FACE", 2, kSurfaces},
    {"FACE_SURFACE", 1, {"FACE_BOUND", "FACE_OUTER_BOUND"}},
    {"CLOSED_SHELL", 1, kFaces},
    {"OPEN_SHELL", 1, kFaces},
    {"ORIENTED_CLOSED_SHELL", 2, {"CLOSED_SHELL"}},
    {"MANIFOLD_SOLID_BREP", 1, {"CLOSED_SHELL"}},
    {"FACETED_BREP", 1, {"CLOSED_SHELL"}},
    {"BREP_WITH_VOIDS", 1, {"CLOSED_SHELL"}},
    {"BREP_WITH_VOIDS", 2, {"ORIENTED_CLOSED_SHELL"}},
    {"SHELL_BASED_SURFACE_MODEL", 1, {"OPEN_SHELL", "CLOSED_SHELL"}},
    {"SHAPE_DEFINITION_REPRESENTATION", 0, {"PRODUCT_DEFINITION_SHAPE"}},
    {"PRODUCT_DEFINITION", 2, {"PRODUCT_DEFINITION_FORMATION"}},
    {"PRODUCT_DEFINITION_FORMATION", 2, {"PRODUCT"}},
    {"STYLED_ITEM", 2, {"ADVANCED_FACE", "FACE_SURFACE", "TRIANGULATED_FACE"}}};
// Numbers that have to be above 0, by their place.
const std::map<std::string_view, std::vector<std::size_t>> kPositive = {
    {"CIRCLE", {2}},          {"ELLIPSE", {2, 3}},        {"CYLINDRICAL_SURFACE", {2}},
    {"CONICAL_SURFACE", {3}}, {"SPHERICAL_SURFACE", {2}}, {"TOROIDAL_SURFACE", {2, 3}},
    {"VECTOR", {2}}};

class Rules {
 public:
  explicit Rules(std::string_view text)
      : text_(text), file_({"written", text}), geometry_(file_, {1, 1}) {}

  std::vector<std::string> run() {
    header();
    file_.for_each([&](const Part21::Entry& entry) {
      entities_.emplace(entry.number, file_.parse(entry.number));
    });
    for (const auto& [number, e] : entities_) {
      for (const Record& r : e.records) record(e, r);
    }
    if (!broken_.empty()) return broken_;  // else the rest would fail on it
    for (const auto& [number, e] : entities_) {
      if (e.is("EDGE_LOOP")) loop(e);
      if (e.is("EDGE_CURVE")) edge(e);
    }
    for (const auto& [number, e] : entities_) {
      if (e.is("ADVANCED_FACE")) face(e);
      if (e.is("CLOSED_SHELL")) closed_shell(e);
    }
    return broken_;
  }

 private:
  void header() {
    const std::string head(text_.substr(0, text_.find("DATA;")));
    if (!std::regex_search(
            head, std::regex("FILE_NAME\\('[^']*','\\d{4}-\\d\\d-\\d\\dT\\d\\d:\\d\\d:\\d\\d"))) {
      broken_.emplace_back("no time stamp");
    }
    for (const char* needed : {"FILE_DESCRIPTION(", "FILE_SCHEMA(("}) {
      if (head.find(needed) == std::string::npos) broken_.push_back(std::string("no ") + needed);
    }
    if (!text_.ends_with("ENDSEC;\nEND-ISO-10303-21;\n")) broken_.emplace_back("no end");
    if (text_.find("UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(") == std::string_view::npos) {
      broken_.emplace_back("no uncertainty");
    }
    if (text_.find("LENGTH_UNIT()") == std::string_view::npos)
      broken_.emplace_back("no unit of length");
  }
  void fault(const Entity& e, const std::string& what) {
    broken_.push_back("#" + std::to_string(e.number) + "=" + std::string(e.records[0].type) + ": " +
                      what);
  }

  void references_in(const Entity& e, const Value& v) {
    if (v.kind == Value::Kind::reference && !entities_.contains(v.reference)) {
      fault(e, "names #" + std::to_string(v.reference) + ", which is not there");
    }
    for (const Value& item : v.items) references_in(e, item);
  }
  void record(const Entity& e, const Record& r) {
    for (const Value& v : r.values) references_in(e, v);
    for (const Rule& rule : kRules) {
      if (rule.type != r.type) continue;
      if (rule.value >= r.values.size()) {
        fault(e, "too few values");
        continue;
      }
      const Value& v = r.values[rule.value];
      const std::vector<Value> one = {v};
      const std::vector<Value>& all = v.kind == Value::Kind::list ? v.items : one;
      if (all.empty()) fault(e, "an empty list");
      for (const Value& item : all) {
        const auto at = entities_.find(item.reference);
        const bool fits =
            item.kind == Value::Kind::reference && at != entities_.end() &&
            std::any_of(at->second.records.begin(), at->second.records.end(),
                        [&](const Record& named) { return rule.names.contains(named.type); });
        if (!fits) fault(e, "value " + std::to_string(rule.value) + " names what it must not");
      }
    }
    if (const auto at = kPositive.find(r.type); at != kPositive.end()) {
      for (const std::size_t i : at->second) {
        if (i >= r.values.size() || !(r.values[i].number > 0)) fault(e, "a size not above 0");
      }
    }
    if (r.type == "B_SPLINE_CURVE_WITH_KNOTS" && r.values.size() > 8) {
      double sum = 0;
      for (const Value& m : r.values[6].items) sum += m.number;
      const auto poles = static_cast<double>(r.values[2].items.size());
      if (sum != poles + r.values[1].number + 1) fault(e, "knots that do not fit");
    }
  }

  [[nodiscard]] const Entity& at(std::uint64_t number) const { return entities_.at(number); }
  struct Use {
    std::uint64_t edge;
    bool forward;
  };
  Use use_of(std::uint64_t oriented) {
    const Entity& e = at(oriented);
    const Fields f(e, e.record("ORIENTED_EDGE"));
    return {f.reference(3), f.flag(4)};
  }
  std::uint64_t end_of(const Use& use, bool first) {
    const Entity& e = at(use.edge);
    return Fields(e, e.record("EDGE_CURVE")).reference(first == use.forward ? 1 : 2);
  }
  void loop(const Entity& e) {
    const auto uses = Fields(e, e.record("EDGE_LOOP")).references(1);
    for (std::size_t i = 0; i < uses.size(); ++i) {
      const Use use = use_of(uses[i]), next = use_of(uses[(i + 1) % uses.size()]);
      if (end_of(use, false) != end_of(next, true))
        fault(e, "an edge does not begin where the last ends");
    }
  }
  [[nodiscard]] double uncertainty() const {
    const std::string_view key = "UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(";
    return std::stod(std::string(text_.substr(text_.find(key) + key.size(), 32)));
  }
  Point vertex(std::uint64_t number) {
    const Entity& e = at(number);
    return geometry_.point(Fields(e, e.record("VERTEX_POINT")).reference(1), number);
  }
  void edge(const Entity& e) {
    const Fields f(e, e.record("EDGE_CURVE"));
    const CurvePtr curve = geometry_.curve(f.reference(3), e.number);
    const Point a = vertex(f.reference(1)), b = vertex(f.reference(2));
    const bool closed = f.reference(1) == f.reference(2);
    const auto piece = detail::StepGeometry::piece_between(*curve, a, b, closed, f.flag(4));
    pieces_[e.number] = {curve, piece.from, piece.to};
    if ((curve->point(piece.from) - a).norm() > uncertainty() ||
        (curve->point(piece.to) - b).norm() > uncertainty()) {
      fault(e, "a vertex off its curve");
    }
  }
  void face(const Entity& e) {
    const Fields f(e, e.record("ADVANCED_FACE"));
    const SurfacePtr surface = geometry_.surface(f.reference(2), e.number);
    const SurfaceFoot foot(*surface);
    std::size_t outer = 0;
    for (const std::uint64_t bound : f.references(1)) {
      outer += at(bound).is("FACE_OUTER_BOUND");
      const Record& r = at(bound).records[0];
      const Entity& around = at(Fields(at(bound), r).reference(1));
      if (!around.is("EDGE_LOOP")) continue;
      for (const std::uint64_t o : Fields(around, around.records[0]).references(1)) {
        const auto edge_at = pieces_.find(use_of(o).edge);
        if (edge_at == pieces_.end()) continue;
        const auto& [curve, from, to] = edge_at->second;
        for (const double s : {0.1, 0.35, 0.6, 0.9}) {
          const Point p = curve->point(from + s * (to - from));
          if ((surface->point(foot.of(p)) - p).norm() > uncertainty()) {
            fault(e, "an edge off its surface");
            return;
          }
        }
      }
    }
    if (outer > 1) fault(e, "two outer bounds");
  }

  void closed_shell(const Entity& e) {
    std::map<std::uint64_t, std::vector<bool>> uses;
    for (const std::uint64_t number : Fields(e, e.record("CLOSED_SHELL")).references(1)) {
      const Entity& face = at(number);
      for (const std::uint64_t bound : Fields(face, face.records[0]).references(1)) {
        const Fields b(at(bound), at(bound).records[0]);
        const Entity& around = at(b.reference(1));
        if (!around.is("EDGE_LOOP")) continue;
        for (const std::uint64_t o : Fields(around, around.records[0]).references(1)) {
          const Use use = use_of(o);
          uses[use.edge].push_back(use.forward == b.flag(2));
        }
      }
    }
    for (const auto& [edge, ways] : uses) {
      if (ways.size() != 2 || ways[0] == ways[1])
        fault(e, "an edge that is not used once each way");
    }
  }

  std::string_view text_;
  Part21 file_;
  detail::StepGeometry geometry_;
  std::map<std::uint64_t, Entity> entities_;
  struct Piece {
    CurvePtr curve;
    double from, to;
  };
  std::map<std::uint64_t, Piece> pieces_;
  std::vector<std::string> broken_;
};

}  // namespace

std::vector<std::string> broken_step_rules(std::string_view text) { return Rules(text).run(); }

}  // namespace aguja::test
