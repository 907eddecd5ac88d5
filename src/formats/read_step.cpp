#include "aguja/formats/read_surfaces.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <set>

#include <Eigen/Geometry>

#include "formats/step_body.h"

namespace aguja {
namespace {

// A ratio of units that is whole but for this part of it is whole.
constexpr double kWholeRatio = 1e-12;

using detail::Entity;
using detail::EntityError;
using detail::Fields;
using detail::Part21;
using detail::Record;
using detail::StepGeometry;
using detail::StepUnits;
using detail::Value;

constexpr int kMostLevels = 64;  // of assemblies
constexpr std::size_t kMostInstances = 200000;
// Products and representations placed, with those that hold no shape.
constexpr std::size_t kMostStepInstances = 2000000;

// ---- The whole file.

class StepReader {
 public:
  StepReader(const Source& source, Progress* progress) : progress_(progress), file_(source) {}

  SurfaceModel run() {
    advance(progress_, "read", 0.1);
    model_.time_stamp = file_.time_stamp();
    sort_entries();
    read_contexts();
    settle_unit();
    read_colours();
    read_layers();
    read_groups();
    read_representations();
    read_structure();
    place_all();
    read_loose();
    omissions_.write(model_);
    if (file_.repeated() > 0) {
      model_.notes.push_back(std::to_string(file_.repeated()) +
                             " entities are there more than once: the first counts");
    }
    if (model_.instances.empty() && model_.not_understood.empty()) {
      model_.notes.push_back("there is no shape in the file");
    }
    return std::move(model_);
  }

 private:
  using Numbers = std::vector<std::uint64_t>;

  // What belongs to no shape of the file: read if there is nothing else, told otherwise.
  void read_loose() {
    std::set<std::uint64_t> left(faces_.begin(), faces_.end());
    for (const Body& body : model_.bodies) {
      for (const Face& face : body.faces) left.erase(face.entity);
      for (const EntityNumber face : body.not_read) left.erase(face);
    }
    if (left.empty() || !model_.not_read.empty()) return;
    const std::string count = std::to_string(left.size()) +
                              (left.size() == 1 ? " face belongs" : " faces belong") +
                              " to no shape of the file";
    if (!model_.bodies.empty()) {
      model_.notes.push_back(count + ": left out");
      return;
    }
    const std::vector<std::uint64_t> faces(left.begin(), left.end());
    const auto contexts = by_type_.find("GLOBAL_UNIT_ASSIGNED_CONTEXT");
    const std::uint64_t context = contexts == by_type_.end() ? 0 : contexts->second.front();
    auto body = detail::read_step_faces(geometry_in(context), omissions_, looks_, faces);
    if (!body) return;
    model_.notes.push_back(count + ": read as loose faces");
    model_.bodies.push_back(std::move(*body));
    model_.instances.push_back({model_.bodies.size() - 1, {}, "loose faces"});
  }

  // Entities by type; complex ones under each of their records.
  void sort_entries() {
    file_.for_each([&](const Part21::Entry& e) {
      if (!e.type.empty()) {
        if (is_wanted(e.type)) by_type_[e.type].push_back(e.number);
        if (is_face(e.type)) faces_.push_back(e.number);
        return;
      }
      try {
        const Entity whole = file_.parse(e.number);
        for (const Record& r : whole.records) {
          if (is_wanted(r.type)) by_type_[r.type].push_back(e.number);
        }
      } catch (const EntityError& error) {
        omissions_.add("entity", error.what());
      }
    });
  }
  static bool is_wanted(std::string_view type) {
    return is_shape_representation(type) || type == "GLOBAL_UNIT_ASSIGNED_CONTEXT" ||
           type == "STYLED_ITEM" || type == "PRESENTATION_LAYER_ASSIGNMENT" ||
           type == "OVER_RIDING_STYLED_ITEM" || type == "SHAPE_DEFINITION_REPRESENTATION" ||
           type == "NEXT_ASSEMBLY_USAGE_OCCURRENCE" ||
           type == "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION" ||
           type == "SHAPE_REPRESENTATION_RELATIONSHIP" || type == "REPRESENTATION_RELATIONSHIP" ||
           type == "REPRESENTATION" || type == "APPLIED_GROUP_ASSIGNMENT";
  }
  template <class Work>
  void for_each(std::string_view type, const Work& work) {
    const auto at = by_type_.find(type);
    if (at == by_type_.end()) return;
    for (const std::uint64_t number : at->second) {
      try {
        work(file_.parse(number));
      } catch (const EntityError& error) {
        omissions_.add(std::string(type), error.what());
      }
    }
  }

  // ---- Units.

  struct Context {
    double metres = 1e-3;
    double radians = 1;
    bool has_length = false;
    std::optional<double> uncertainty;
  };

  static double prefix(std::string_view word) {
    static const std::map<std::string_view, double> kPrefixes = {
        {"EXA", 1e18},  {"PETA", 1e15},  {"TERA", 1e12},   {"GIGA", 1e9},
        {"MEGA", 1e6},  {"KILO", 1e3},   {"HECTO", 1e2},   {"DECA", 1e1},
        {"DECI", 1e-1}, {"CENTI", 1e-2}, {"MILLI", 1e-3},  {"MICRO", 1e-6},
        {"NANO", 1e-9}, {"PICO", 1e-12}, {"FEMTO", 1e-15}, {"ATTO", 1e-18}};
    const auto at = kPrefixes.find(word);
    return at == kPrefixes.end() ? 1.0 : at->second;
  }
  // Of a length in metres, of an angle in radians.
  double unit_value(std::uint64_t number, std::uint64_t asked_by, int depth) {
    const Entity e = file_.parse(number, asked_by);
    if (depth > 8) throw EntityError(number, "a unit that is made of itself");
    if (const Record* r = e.find("CONVERSION_BASED_UNIT")) {
      const std::uint64_t factor = Fields(e, *r).reference(r->values.size() - 1);
      const Entity m = file_.parse(factor, number);
      for (const Record& measure : m.records) {
        if (measure.values.size() < 2) continue;
        const Fields f(m, measure);
        return f.number(0) * unit_value(f.reference(1), factor, depth + 1);
      }
      throw EntityError(factor, "a measure with a unit is needed");
    }
    const Record& r = e.record("SI_UNIT");
    const Fields f(e, r);
    const std::size_t at = f.count() > 2 ? 1 : 0;  // in complex entities only prefix and name
    static_cast<void>(f.word(at + 1));
    return f.at(at).kind == Value::Kind::word ? prefix(f.at(at).text) : 1.0;
  }

  void read_contexts() {
    for_each("GLOBAL_UNIT_ASSIGNED_CONTEXT", [&](const Entity& e) {
      Context c;
      for (const std::uint64_t u :
           Fields(e, e.record("GLOBAL_UNIT_ASSIGNED_CONTEXT")).references(0)) {
        const Entity unit = file_.parse(u, e.number);
        if (unit.is("LENGTH_UNIT")) {
          c.metres = unit_value(u, e.number, 0);
          c.has_length = true;
        }
        if (unit.is("PLANE_ANGLE_UNIT")) c.radians = unit_value(u, e.number, 0);
      }
      if (const Record* g = e.find("GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT")) {
        for (const std::uint64_t u : Fields(e, *g).references(0)) {
          const Entity m = file_.parse(u, e.number);
          for (const Record& r : m.records) {
            if (r.values.size() < 2 || r.values[1].kind != Value::Kind::reference) continue;
            const Entity own = file_.parse(r.values[1].reference, u);
            if (!own.is("LENGTH_UNIT")) continue;
            c.uncertainty = Fields(m, r).number(0) * unit_value(r.values[1].reference, u, 0);
          }
        }
      }
      contexts_[e.number] = c;
    });
  }
  // That of the first shape, else of the first context with a length.
  void settle_unit() {
    std::uint64_t first = 0;
    for (const std::uint64_t number : shape_representations()) {
      try {
        const Entity e = file_.parse(number);
        for (const Record& r : e.records) {
          if (r.values.size() < 3 || r.values[2].kind != Value::Kind::reference) continue;
          const auto at = contexts_.find(r.values[2].reference);
          if (at != contexts_.end() && at->second.has_length && first == 0) first = at->first;
        }
      } catch (const EntityError&) {
        // Told when it is read.
      }
      if (first != 0) break;
    }
    for (const auto& [number, c] : contexts_) {
      if (!c.has_length || (first != 0 && number != first)) continue;
      model_.unit = nearest_length_unit(c.metres);
      model_.unit_assumed = false;
      return;
    }
  }
  [[nodiscard]] Context context_of(std::uint64_t number) const {
    const auto at = contexts_.find(number);
    return at == contexts_.end() ? Context{} : at->second;
  }

  // ---- Colours.

  void read_colours() {
    for (const std::string_view type : {"STYLED_ITEM", "OVER_RIDING_STYLED_ITEM"}) {
      for_each(type, [&](const Entity& e) {
        const Fields f(e, *e.find(e.is("STYLED_ITEM") ? "STYLED_ITEM" : "OVER_RIDING_STYLED_ITEM"));
        std::optional<Rgb> colour;
        for (const std::uint64_t style : f.references(1)) {
          if (!colour) colour = colour_in(style, e.number, 0);
        }
        if (colour && f.has_reference(2)) looks_.colours[f.reference(2)] = *colour;
      });
    }
  }
  std::optional<Rgb> colour_in(std::uint64_t number, std::uint64_t asked_by, int depth) {
    if (depth > 10 || !file_.find(number)) return std::nullopt;
    const Entity e = file_.parse(number, asked_by);
    // How edges and points are drawn is no colour of faces.
    if (e.is("CURVE_STYLE") || e.is("POINT_STYLE")) return std::nullopt;
    for (const std::string_view type :
         {"DRAUGHTING_PRE_DEFINED_COLOUR", "PRE_DEFINED_COLOUR", "PRE_DEFINED_ITEM"}) {
      if (const Record* r = e.find(type); r != nullptr && !r->values.empty())
        return pre_defined_colour(Fields(e, *r).text(0));
    }
    if (const Record* r = e.find("COLOUR_RGB")) {
      const Fields f(e, *r);
      return Rgb{static_cast<float>(f.number(1)), static_cast<float>(f.number(2)),
                 static_cast<float>(f.number(3))};
    }
    for (const Record& r : e.records) {
      for (const Value& v : r.values) {
        if (v.kind == Value::Kind::reference) {
          if (auto c = colour_in(v.reference, number, depth + 1)) return c;
        }
        for (const Value& item : v.items) {
          if (item.kind != Value::Kind::reference) continue;
          if (auto c = colour_in(item.reference, number, depth + 1)) return c;
        }
      }
    }
    return std::nullopt;
  }

  // Source: ISO 10303-46, pre_defined_colour; ISO 10303-101 names the eight.
  static std::optional<Rgb> pre_defined_colour(const std::string& name) {
    static const std::map<std::string_view, Rgb> kColours = {
        {"red", {1, 0, 0}},     {"green", {0, 1, 0}}, {"blue", {0, 0, 1}},  {"yellow", {1, 1, 0}},
        {"magenta", {1, 0, 1}}, {"cyan", {0, 1, 1}},  {"black", {0, 0, 0}}, {"white", {1, 1, 1}}};
    const auto at = kColours.find(name);
    return at == kColours.end() ? std::nullopt : std::optional(at->second);
  }

  void read_layers() {
    for_each("PRESENTATION_LAYER_ASSIGNMENT", [&](const Entity& e) {
      const Fields f(e, e.record("PRESENTATION_LAYER_ASSIGNMENT"));
      for (const std::uint64_t item : f.references(2)) looks_.layers.try_emplace(item, f.text(0));
    });
  }
  void read_groups() {
    for_each("APPLIED_GROUP_ASSIGNMENT", [&](const Entity& e) {
      const Fields f(e, e.record("APPLIED_GROUP_ASSIGNMENT"));
      const Entity group = file_.parse(f.reference(0), e.number);
      const std::string name = Fields(group, group.record("GROUP")).text(0);
      if (name.empty()) return;
      for (const std::uint64_t item : f.references(1)) looks_.groups[item].push_back(name);
    });
  }

  // ---- Shapes.

  struct Mapped {
    std::uint64_t representation;
    Placement placement;
  };
  struct Representation {
    std::vector<std::size_t> bodies;
    std::vector<Mapped> mapped;
  };

  [[nodiscard]] std::set<std::uint64_t> shape_representations() const {
    std::set<std::uint64_t> numbers;
    for (const auto& [type, list] : by_type_) {
      if (is_shape_representation(type)) numbers.insert(list.begin(), list.end());
    }
    return numbers;
  }
  static bool is_shape_representation(std::string_view type) {
    return (type.ends_with("SHAPE_REPRESENTATION") ||
            type.ends_with("SHAPE_REPRESENTATION_WITH_PARAMETERS") ||
            type == "TESSELLATED_SHAPE_REPRESENTATION_WITH_ACCURACY_PARAMETERS") &&
           type != "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION";
  }
  void read_representations() {
    const std::set<std::uint64_t> numbers = shape_representations();
    std::size_t done = 0;
    for (const std::uint64_t number : numbers) {
      advance(progress_, "read",
              0.2 + 0.7 * static_cast<double>(done++) / static_cast<double>(numbers.size()));
      try {
        read_representation(number);
      } catch (const EntityError& error) {
        omissions_.add("representation", error.what());
      }
    }
  }
  StepGeometry& geometry_in(std::uint64_t context) {
    const auto at = geometries_.find(context);
    if (at != geometries_.end()) return *at->second;
    const Context c = context_of(context);
    StepUnits units;
    // Whole powers of ten, and the same unit, stay exact.
    const double ratio = c.metres / metres_per(model_.unit);
    units.length =
        std::fabs(ratio - std::round(ratio)) < kWholeRatio * ratio ? std::round(ratio) : ratio;
    units.angle = c.radians;
    if (c.uncertainty) {
      const double own = *c.uncertainty / metres_per(model_.unit);
      model_.uncertainty = std::max(model_.uncertainty.value_or(0), own);
    }
    return *geometries_.emplace(context, std::make_unique<StepGeometry>(file_, units))
                .first->second;
  }
  void read_representation(std::uint64_t number) {
    const Entity e = file_.parse(number);
    for (const Record& r : e.records) {
      if (r.values.size() < 3 || r.values[1].kind != Value::Kind::list) continue;
      const Fields f(e, r);
      const std::uint64_t context = f.has_reference(2) ? f.reference(2) : 0;
      StepGeometry& geometry = geometry_in(context);
      Representation& own = representations_[number];
      Numbers loose;
      for (const std::uint64_t item : f.references(1)) {
        if (const auto entry = file_.find(item); entry && is_face(entry->type)) {
          loose.push_back(item);
          continue;
        }
        try {
          read_item(item, number, geometry, own);
        } catch (const EntityError& error) {
          const auto entry = file_.find(item);
          if (entry && is_shape_type(entry->type)) model_.not_read.push_back(item);
          omissions_.add(entry && !entry->type.empty() ? std::string(entry->type) : "entity",
                         error.what());
        }
      }
      if (auto body = detail::read_step_faces(geometry, omissions_, looks_, loose)) {
        model_.bodies.push_back(std::move(*body));
        own.bodies.push_back(model_.bodies.size() - 1);
      } else {
        model_.not_read.insert(model_.not_read.end(), loose.begin(), loose.end());
      }
      return;
    }
  }
  void read_item(std::uint64_t number, std::uint64_t asked_by, StepGeometry& geometry,
                 Representation& own) {
    const auto entry = file_.find(number);
    if (entry && (entry->type == "AXIS2_PLACEMENT_3D" || entry->type == "CARTESIAN_POINT")) return;
    if (const auto known = body_of_item_.find(number); known != body_of_item_.end()) {
      own.bodies.push_back(known->second);
      return;
    }
    const Entity e = file_.parse(number, asked_by);
    if (const Record* r = e.find("MAPPED_ITEM")) {
      const Fields f(e, *r);
      const Entity map = file_.parse(f.reference(1), number);
      const Fields mf(map, map.record("REPRESENTATION_MAP"));
      own.mapped.push_back(
          {mf.reference(1), target_of(f.reference(2), number, geometry) *
                                inverse(target_of(mf.reference(0), map.number, geometry))});
      return;
    }
    if (is_tessellation_of_exact(e)) {
      model_.notes.push_back("#" + std::to_string(number) +
                             ": a tessellation of a shape that the file holds exactly; left out");
      return;
    }
    std::optional<Body> body = detail::read_step_body(geometry, omissions_, looks_, e);
    if (!body) {
      if (is_shape(e)) {
        model_.not_read.push_back(number);
        omissions_.add(std::string(e.records[0].type),
                       "#" + std::to_string(number) + ": nothing of it could be read");
      } else if (!is_harmless(e))
        omissions_.add(std::string(e.records[0].type), "#" + std::to_string(number) + ": " +
                                                           std::string(e.records[0].type) +
                                                           " is not understood");
      return;
    }
    model_.bodies.push_back(std::move(*body));
    body_of_item_[number] = model_.bodies.size() - 1;
    own.bodies.push_back(model_.bodies.size() - 1);
  }
  // AP242 may hold a shape twice: TESSELLATED_SOLID and TESSELLATED_SHELL name the exact one last.
  bool is_tessellation_of_exact(const Entity& e) const {
    for (const std::string_view type : {"TESSELLATED_SOLID", "TESSELLATED_SHELL"}) {
      const Record* r = e.find(type);
      if (r == nullptr || r->values.empty()) continue;
      const Value& link = r->values.back();
      return link.kind == Value::Kind::reference && file_.find(link.reference).has_value();
    }
    return false;
  }
  static bool is_face(std::string_view type) {
    return type == "ADVANCED_FACE" || type == "FACE_SURFACE";
  }
  static bool is_shape_type(std::string_view type) {
    constexpr std::array<std::string_view, 8> kTypes = {
        "MANIFOLD_SOLID_BREP", "SHELL_BASED_SURFACE_MODEL", "BREP_WITH_VOIDS",
        "FACETED_BREP",        "FACE_BASED_SURFACE_MODEL",  "CLOSED_SHELL",
        "OPEN_SHELL",          "CONNECTED_FACE_SET"};
    return std::find(kTypes.begin(), kTypes.end(), type) != kTypes.end();
  }
  static bool is_shape(const Entity& e) {
    return std::any_of(e.records.begin(), e.records.end(),
                       [](const Record& r) { return is_shape_type(r.type); });
  }
  static bool is_harmless(const Entity& e) {
    for (const std::string_view type :
         {"GEOMETRIC_SET", "GEOMETRIC_CURVE_SET", "CARTESIAN_POINT", "AXIS2_PLACEMENT_3D",
          "DIRECTION", "COMPOSITE_CURVE", "TRIMMED_CURVE", "POLYLINE", "LINE", "CIRCLE", "PLANE",
          "STYLED_ITEM", "DRAUGHTING_CALLOUT", "DESCRIPTIVE_REPRESENTATION_ITEM",
          "ANNOTATION_PLANE", "CAMERA_MODEL_D3"}) {
      if (e.is(type)) return true;
    }
    return false;
  }
  static Placement placement_of(const Frame& f) {
    Placement p;
    p.linear.col(0) = f.x;
    p.linear.col(1) = f.y;
    p.linear.col(2) = f.z;
    p.shift = f.origin;
    return p;
  }
  static Placement inverse(const Placement& p) {
    const Eigen::Matrix3d inverted = p.linear.inverse();
    return {inverted, -inverted * p.shift};
  }
  Placement target_of(std::uint64_t number, std::uint64_t asked_by, StepGeometry& geometry) {
    const Entity e = file_.parse(number, asked_by);
    const Record* r = e.find("CARTESIAN_TRANSFORMATION_OPERATOR_3D");
    if (r == nullptr && !e.is("CARTESIAN_TRANSFORMATION_OPERATOR")) {
      return placement_of(geometry.frame(number, asked_by));
    }
    // name, [description,] axis1, axis2, origin, scale, axis3: as one record or two.
    const Record& general = e.is("CARTESIAN_TRANSFORMATION_OPERATOR")
                                ? e.record("CARTESIAN_TRANSFORMATION_OPERATOR")
                                : *r;
    std::vector<std::uint64_t> axes;
    std::optional<Point> origin;
    double scale = 1;
    for (const Record* one : {&general, r}) {
      if (one == nullptr || (one == r && r == &general && one != &general)) continue;
      for (const Value& v : one->values) {
        if (v.kind == Value::Kind::number) scale = v.number;
        if (v.kind != Value::Kind::reference) continue;
        const auto entry = file_.find(v.reference);
        if (entry && entry->type == "CARTESIAN_POINT")
          origin = geometry.point(v.reference, number);
        else
          axes.push_back(v.reference);
      }
      if (r == &general) break;
    }
    Vector x(1, 0, 0), y(0, 1, 0);
    if (!axes.empty()) x = geometry.direction(axes[0], number);
    if (axes.size() > 1) y = geometry.direction(axes[1], number);
    Vector z = axes.size() > 2 ? geometry.direction(axes[2], number) : Vector(x.cross(y));
    const Frame f = Frame::from(origin.value_or(Point::Zero()), z, x);
    Placement p = placement_of(f);
    if (f.y.dot(y) < 0) p.linear.col(1) *= -1;
    p.linear *= scale;
    if (!p.is_regular()) throw EntityError(number, "flattens what it places, or is not finite");
    return p;
  }

  // ---- Products and assemblies.

  struct Use {
    std::uint64_t child = 0;  // product definition
    Placement placement;
    std::string name;
  };
  struct Product {
    std::string name;
    Numbers representations;
    std::vector<Use> uses;
    bool is_used = false;
  };

  std::string product_name(std::uint64_t definition) {
    try {
      const Entity d = file_.parse(definition);
      for (const Record& r : d.records) {
        if (!r.type.starts_with("PRODUCT_DEFINITION")) continue;
        const Entity formation = file_.parse(Fields(d, r).reference(2), definition);
        const std::uint64_t product = Fields(formation, formation.records.at(0)).reference(2);
        const Entity p = file_.parse(product, formation.number);
        const Fields f(p, p.record("PRODUCT"));
        return f.text(1).empty() ? f.text(0) : f.text(1);
      }
    } catch (const EntityError&) {
      // A product without a name is a product all the same.
    }
    return {};
  }

  void read_structure() {
    // Which product a representation is of.
    for_each("SHAPE_DEFINITION_REPRESENTATION", [&](const Entity& e) {
      const Fields f(e, e.record("SHAPE_DEFINITION_REPRESENTATION"));
      const Entity shape = file_.parse(f.reference(0), e.number);
      if (!shape.is("PRODUCT_DEFINITION_SHAPE")) return;
      const std::uint64_t definition =
          Fields(shape, shape.record("PRODUCT_DEFINITION_SHAPE")).reference(2);
      const Entity d = file_.parse(definition, shape.number);
      if (d.records.empty() || !d.records[0].type.starts_with("PRODUCT_DEFINITION") ||
          d.is("PRODUCT_DEFINITION_SHAPE"))
        return;
      Product& p = products_[definition];
      if (p.name.empty()) p.name = product_name(definition);
      p.representations.push_back(f.reference(1));
      product_of_[f.reference(1)] = definition;
    });
    // Representations that are the same shape.
    for (const std::string_view type :
         {"SHAPE_REPRESENTATION_RELATIONSHIP", "REPRESENTATION_RELATIONSHIP"}) {
      for_each(type, [&](const Entity& e) {
        if (e.records.size() > 1) return;  // with a transformation: below
        const Fields f(e, e.records[0]);
        same_as_[f.reference(2)].push_back(f.reference(3));
        same_as_[f.reference(3)].push_back(f.reference(2));
      });
    }
    std::map<std::uint64_t, std::pair<std::uint64_t, std::uint64_t>> occurrences;  // parent, child
    std::map<std::uint64_t, std::string> names;
    for_each("NEXT_ASSEMBLY_USAGE_OCCURRENCE", [&](const Entity& e) {
      const Fields f(e, e.record("NEXT_ASSEMBLY_USAGE_OCCURRENCE"));
      occurrences[e.number] = {f.reference(3), f.reference(4)};
      names[e.number] = f.text(1);
    });
    std::set<std::uint64_t> placed;
    for_each("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION", [&](const Entity& e) {
      const Fields f(e, e.record("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION"));
      const Entity shape = file_.parse(f.reference(1), e.number);
      const std::uint64_t occurrence =
          Fields(shape, shape.record("PRODUCT_DEFINITION_SHAPE")).reference(2);
      const auto at = occurrences.find(occurrence);
      if (at == occurrences.end()) return;
      const auto [parent, child] = at->second;
      add_use(parent, {child, relative_placement(f.reference(0), e.number, parent, child),
                       names[occurrence]});
      placed.insert(occurrence);
    });
    for (const auto& [number, pair] : occurrences) {
      if (!placed.contains(number)) add_use(pair.first, {pair.second, {}, names[number]});
    }
  }
  void add_use(std::uint64_t parent, Use use) {
    Product& child = products_[use.child];
    child.is_used = true;
    if (child.name.empty()) child.name = product_name(use.child);
    Product& p = products_[parent];
    if (p.name.empty()) p.name = product_name(parent);
    p.uses.push_back(std::move(use));
  }
  Placement relative_placement(std::uint64_t number, std::uint64_t asked_by, std::uint64_t parent,
                               std::uint64_t child) {
    const Entity e = file_.parse(number, asked_by);
    const Record* relation = e.find("REPRESENTATION_RELATIONSHIP");
    const Record* transformation = e.find("REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION");
    if (relation == nullptr || transformation == nullptr) return {};
    const Fields f(e, *relation);
    const std::uint64_t first = f.reference(2), second = f.reference(3);
    const Entity t = file_.parse(Fields(e, *transformation).reference(0), number);
    const Record* items = t.find("ITEM_DEFINED_TRANSFORMATION");
    if (items == nullptr) return target_of(t.number, number, geometry_of(second));
    const Fields tf(t, *items);
    // One item of each; some writers name them the other way round.
    std::uint64_t in_first = tf.reference(2), in_second = tf.reference(3);
    if (!items_of(first).contains(in_first) && items_of(first).contains(in_second) &&
        items_of(second).contains(in_first))
      std::swap(in_first, in_second);
    const Placement a = target_of(in_first, t.number, geometry_of(first));
    const Placement b = target_of(in_second, t.number, geometry_of(second));
    // From the first to the second; which of them is the child's is told by the products.
    const auto is_of = [&](std::uint64_t representation, std::uint64_t product) {
      const auto at = product_of_.find(representation);
      return at != product_of_.end() && at->second == product;
    };
    const bool reversed = is_of(first, parent) && is_of(second, child);
    return reversed ? a * inverse(b) : b * inverse(a);
  }
  const std::set<std::uint64_t>& items_of(std::uint64_t representation) {
    const auto [at, is_new] = items_.try_emplace(representation);
    if (!is_new) return at->second;
    const Entity e = file_.parse(representation);
    for (const Record& r : e.records) {
      if (r.values.size() < 2 || r.values[1].kind != Value::Kind::list) continue;
      for (const Value& v : r.values[1].items) {
        if (v.kind == Value::Kind::reference) at->second.insert(v.reference);
      }
    }
    return at->second;
  }
  StepGeometry& geometry_of(std::uint64_t representation) {
    const Entity e = file_.parse(representation);
    for (const Record& r : e.records) {
      if (r.values.size() > 2 && r.values[2].kind == Value::Kind::reference)
        return geometry_in(r.values[2].reference);
    }
    return geometry_in(0);
  }

  void place_all() {
    for (const auto& [definition, product] : products_) {
      if (!product.is_used) place_product(definition, {}, product.name, 0);
    }
    // Shapes that belong to no product.
    for (const auto& [number, representation] : representations_) {
      if (!placed_.contains(number) && !is_mapped(number)) place_representation(number, {}, {}, 0);
    }
    name_instances();
  }
  [[nodiscard]] bool is_mapped(std::uint64_t number) const {
    for (const auto& [other, r] : representations_) {
      for (const Mapped& m : r.mapped) {
        if (m.representation == number) return true;
      }
    }
    return false;
  }
  bool may_place() {
    if (placed_count_++ < kMostStepInstances) return true;
    if (placed_count_ == kMostStepInstances + 1)
      omissions_.add("instance", "more than " + std::to_string(kMostStepInstances) +
                                     " parts of assemblies: the rest is left out");
    return false;
  }
  void place_product(std::uint64_t definition, const Placement& placement, const std::string& name,
                     int level) {
    if (level > kMostLevels) {
      omissions_.add(
          "NEXT_ASSEMBLY_USAGE_OCCURRENCE",
          "assemblies in one another more than " + std::to_string(kMostLevels) + " levels deep");
      return;
    }
    const auto at = products_.find(definition);
    if (at == products_.end() || !may_place()) return;
    std::set<std::uint64_t> seen;
    Numbers pending = at->second.representations;
    for (std::size_t i = 0; i < pending.size(); ++i) {
      if (!seen.insert(pending[i]).second) continue;
      place_representation(pending[i], placement, name, 0);
      const auto same = same_as_.find(pending[i]);
      if (same == same_as_.end()) continue;
      for (const std::uint64_t other : same->second) {
        // Not into another product's shape.
        const auto owner = product_of_.find(other);
        if (owner == product_of_.end() || owner->second == definition) pending.push_back(other);
      }
    }
    for (const Use& use : at->second.uses) {
      const auto child = products_.find(use.child);
      std::string own = child != products_.end() ? child->second.name : std::string();
      if (own.empty()) own = use.name;
      place_product(use.child, placement * use.placement, own, level + 1);
    }
  }
  void place_representation(std::uint64_t number, const Placement& placement,
                            const std::string& name, int depth) {
    const auto at = representations_.find(number);
    if (at == representations_.end() || depth > kMostLevels || !may_place()) return;
    placed_.insert(number);
    for (const std::size_t body : at->second.bodies) {
      if (model_.instances.size() >= kMostInstances) {
        omissions_.add("instance", "more than " + std::to_string(kMostInstances) +
                                       " shapes are placed: the rest is left out");
        return;
      }
      std::string own = name.empty() ? model_.bodies[body].name : name;
      if (at->second.bodies.size() > 1 && !name.empty() && !model_.bodies[body].name.empty() &&
          model_.bodies[body].name != name) {
        own += "/" + model_.bodies[body].name;
      }
      model_.instances.push_back({body, placement, own});
    }
    for (const Mapped& m : at->second.mapped)
      place_representation(m.representation, placement * m.placement, name, depth + 1);
  }
  // Several of one name are numbered.
  void name_instances() {
    std::map<std::string, std::size_t> count, next;
    for (const BodyInstance& i : model_.instances) ++count[i.name];
    for (BodyInstance& i : model_.instances) {
      if (count[i.name] > 1 && !i.name.empty()) i.name += "-" + std::to_string(++next[i.name]);
    }
  }

  Progress* progress_;
  Part21 file_;
  SurfaceModel model_;
  detail::StepOmissions omissions_;
  Numbers faces_;  // all of the file
  std::map<std::string_view, Numbers> by_type_;
  std::map<std::uint64_t, Context> contexts_;
  detail::StepLooks looks_;
  std::map<std::uint64_t, std::unique_ptr<StepGeometry>> geometries_;
  std::map<std::uint64_t, Representation> representations_;
  std::map<std::uint64_t, std::size_t> body_of_item_;
  std::map<std::uint64_t, Product> products_;
  std::map<std::uint64_t, std::uint64_t> product_of_;  // by representation
  std::map<std::uint64_t, Numbers> same_as_;
  std::set<std::uint64_t> placed_;
  std::size_t placed_count_ = 0;
  std::map<std::uint64_t, std::set<std::uint64_t>> items_;  // of representations, when asked for
};

}  // namespace

SurfaceModel read_step(const Source& source, const ReadOptions& /*options*/, Progress* progress) {
  return StepReader(source, progress).run();
}

}  // namespace aguja
