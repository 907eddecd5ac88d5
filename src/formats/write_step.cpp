#include <algorithm>
#include <array>
#include <cmath>
#include <cstdlib>
#include <ctime>
#include <map>
#include <set>

#include "aguja/formats/write.h"
#include "base/short_text.h"
#include "formats/step_body_writer.h"
#include "formats/step_mesh_writer.h"

namespace aguja {
namespace {

using detail::step_list;
using detail::step_name;
using detail::step_real;
using detail::step_text;
using detail::StepEntities;
using detail::StepIds;
using detail::StepItems;
using detail::StepStyles;

// What stands in a file that nothing says a time of.
constexpr std::string_view kNoTime = "1970-01-01T00:00:00";

// Of the build's convention for outputs that do not depend on the clock, else of what was read.
std::string time_stamp_of(const Model& model) {
  if (const char* epoch = std::getenv("SOURCE_DATE_EPOCH"); epoch != nullptr) {
    char* end = nullptr;
    const long long seconds = std::strtoll(epoch, &end, 10);
    if (end != epoch && *end == '\0' && seconds >= 0) {
      const auto time = static_cast<std::time_t>(seconds);
      std::tm utc{};
      std::array<char, 32> text{};
      if (gmtime_r(&time, &utc) != nullptr &&
          std::strftime(text.data(), text.size(), "%Y-%m-%dT%H:%M:%S", &utc) > 0) {
        return text.data();
      }
    }
  }
  for (const SurfaceSource& source : model.sources) {
    if (!source.time_stamp.empty()) return source.time_stamp;
  }
  return std::string(kNoTime);
}

class StepWriter {
 public:
  StepWriter(const ByteSink& sink, const Model& model, const WriteOptions& options)
      : sink_(sink), model_(model), options_(options), out_(sink) {}

  WriteReport run() {
    std::size_t wires = 0;
    for (const Part& part : model_.parts) wires += part.shape()->mesh.wires.size();
    if (wires > 0) {
      report_.notes.push_back("STEP: " + std::to_string(wires) +
                              (wires == 1 ? " line is" : " lines are") + " not written");
    }
    for (const Part& part : model_.parts) ++uses_of_[part.shape().get()];
    header();
    contexts();
    for (std::size_t p = 0; p < model_.parts.size(); ++p) write_part(p);
    if (products_.size() > 1 || instances_.size() > 1 ||
        (!instances_.empty() && !instances_[0].placement.is_identity())) {
      assembly();
    }
    styles();
    out_.flush();
    sink_("ENDSEC;\nEND-ISO-10303-21;\n");
    for (const auto& [why, names] : faceted_why_) {
      std::string note = "written as facets, since ";
      note.append(why).append(": ").append(names);
      report_.notes.push_back(std::move(note));
    }
    std::set<EntityNumber> lost;
    for (const LostSurface& l : model_.lost) lost.insert(l.entities.begin(), l.entities.end());
    for (const EntityNumber written : undivided_) lost.erase(written);
    if (!lost.empty()) {
      report_.notes.push_back("not in the file: " + std::to_string(lost.size()) +
                              (lost.size() == 1 ? " face or shape" : " faces or shapes") +
                              " of the input of which nothing could be made, the first #" +
                              std::to_string(*lost.begin()));
    }
    if (fitted_ > 0) {
      report_.notes.push_back(std::to_string(fitted_) + (fitted_ == 1 ? " curve" : " curves") +
                              " for which STEP has no form of its own are fitted by splines, "
                              "nowhere seen farther off than " +
                              short_text(fitted_off_));
    }
    return std::move(report_);
  }

 private:
  struct Product {
    std::uint64_t definition, representation, origin;
  };
  struct Instance {
    std::size_t product;
    Placement placement;
    std::string name;
  };

  void header() {
    const bool is_242 = options_.tessellated;
    sink_("ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME(''," +
          step_text(time_stamp_of(model_)) + ",(''),(''),'','aguja','');\nFILE_SCHEMA(('" +
          (is_242 ? "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 3 1 4 }"
                  : "AUTOMOTIVE_DESIGN { 1 0 10303 214 3 1 1 1 }") +
          "'));\nENDSEC;\nDATA;\n");
    application_ = out_.add(is_242 ? "APPLICATION_CONTEXT('managed model based 3d engineering')"
                                   : "APPLICATION_CONTEXT('automotive design')");
    out_.add("APPLICATION_PROTOCOL_DEFINITION('international standard',",
             std::string(is_242 ? "'ap242_managed_model_based_3d_engineering',2020,"
                                : "'automotive_design',2009,"),
             step_name(application_), ")");
    product_context_ = out_.add("PRODUCT_CONTEXT('',", step_name(application_), ",'mechanical')");
    definition_context_ = out_.add("PRODUCT_DEFINITION_CONTEXT('part definition',",
                                   step_name(application_), ",'design')");
  }

  void contexts() {
    const std::uint64_t length = length_unit();
    const std::uint64_t angle = out_.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))");
    const std::uint64_t solid_angle =
        out_.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())");
    uncertainty_ = uncertainty();
    fit_within_ = kFitPart * uncertainty_;
    const std::uint64_t accuracy = out_.add(
        "UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(", step_real(uncertainty_), "),",
        step_name(length), ",'distance_accuracy_value','largest tolerance of vertices and edges')");
    context_ =
        out_.add("(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((",
                 step_name(accuracy), "))GLOBAL_UNIT_ASSIGNED_CONTEXT((", step_name(length), ",",
                 step_name(angle), ",", step_name(solid_angle), "))REPRESENTATION_CONTEXT('',''))");
  }
  std::uint64_t length_unit() {
    const auto si = [&](std::string_view prefix) {
      return out_.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(", std::string(prefix), ",.METRE.))");
    };
    switch (model_.unit) {
      case LengthUnit::micrometre:
        return si(".MICRO.");
      case LengthUnit::millimetre:
        return si(".MILLI.");
      case LengthUnit::centimetre:
        return si(".CENTI.");
      case LengthUnit::metre:
        return si("$");
      case LengthUnit::inch:
      case LengthUnit::foot:
        break;
    }
    const bool is_inch = model_.unit == LengthUnit::inch;
    const std::uint64_t millimetre = si(".MILLI.");
    const std::uint64_t measure =
        out_.add("LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(",
                 std::string(is_inch ? "25.4" : "304.8"), "),", step_name(millimetre), ")");
    const std::uint64_t exponents = out_.add("DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.)");
    return out_.add("(CONVERSION_BASED_UNIT('", std::string(is_inch ? "INCH" : "FOOT"), "',",
                    step_name(measure), ")LENGTH_UNIT()NAMED_UNIT(", step_name(exponents), "))");
  }
  [[nodiscard]] static double largest_tolerance(const PreparedBodyPtr& body) {
    const std::array<PreparedBodyPtr, 1> one = {body};
    const BodyTolerances t = measure_tolerances(one);
    double largest = 0;
    for (const ToleranceStatistics* s : {&t.vertices, &t.edges, &t.faces}) {
      if (std::isfinite(s->largest)) largest = std::max(largest, s->largest);
    }
    return largest;
  }
  // The largest tolerance in any body; no less than what doubles of that size resolve.
  [[nodiscard]] double uncertainty() const {
    double largest = kLeastUncertainty * box_of(model_).diagonal();
    std::map<const PreparedBody*, double> of_body;
    for (const Part& part : model_.parts) {
      for (const SurfaceOrigin& origin : part.shape()->surfaces) {
        const auto [at, is_new] = of_body.try_emplace(origin.body.get(), 0);
        if (is_new) at->second = largest_tolerance(origin.body);
        largest =
            std::max(largest, part.placement().scale() * origin.placement.scale() * at->second);
      }
    }
    return largest > 0 ? largest : kLeastUncertainty;
  }

  // One product for all parts of one shape, unless they are not merely moved.
  void write_part(std::size_t p) {
    const Part& part = model_.parts[p];
    const bool is_moved = part.placement().is_rigid() && !part.placement().mirrors();
    if (!is_moved) {
      products_.push_back(product(part.name, part.placed()));
      instances_.push_back({products_.size() - 1, {}, part.name});
      return;
    }
    const auto [at, is_new] = product_of_.try_emplace(part.shape().get(), products_.size());
    if (is_new) products_.push_back(product(product_name(p), *part.shape()));
    instances_.push_back({at->second, part.placement(), part.name});
  }
  // What parts of one shape have in their names, without their numbers.
  [[nodiscard]] std::string product_name(std::size_t p) const {
    const Part& part = model_.parts[p];
    const std::size_t digits = part.name.find_last_not_of("0123456789");
    if (uses_of_.at(part.shape().get()) == 1 || digits == std::string::npos ||
        digits + 1 == part.name.size() || part.name[digits] != '-' || digits == 0) {
      return part.name;
    }
    return part.name.substr(0, digits);
  }

  Product product(const std::string& name, const Shape& shape) {
    const std::uint64_t origin = axes(Placement{});
    StepItems written;
    if (!write_surfaces(name, shape, written)) {
      const auto write =
          options_.tessellated ? detail::write_step_tessellation : detail::write_step_facets;
      write(out_, styles_, shape, name, written);
    }
    StepIds items = {origin};
    items.insert(items.end(), written.ids.begin(), written.ids.end());
    const int kinds =
        written.has_solids + written.has_sheets + written.is_faceted + written.is_tessellated;
    const std::string type = kinds != 1           ? "SHAPE_REPRESENTATION"
                             : written.has_solids ? "ADVANCED_BREP_SHAPE_REPRESENTATION"
                             : written.has_sheets ? "MANIFOLD_SURFACE_SHAPE_REPRESENTATION"
                             : written.is_faceted ? "FACETED_BREP_SHAPE_REPRESENTATION"
                                                  : "TESSELLATED_SHAPE_REPRESENTATION";
    return product_of(name, type, items, origin);
  }
  Product product_of(const std::string& name, const std::string& type, const StepIds& items,
                     std::uint64_t origin) {
    const std::uint64_t representation =
        out_.add(type, "(", step_text(name), ",", step_list(items), ",", step_name(context_), ")");
    const std::uint64_t own = out_.add("PRODUCT(", step_text(name), ",", step_text(name), ",'',(",
                                       step_name(product_context_), "))");
    out_.add("PRODUCT_RELATED_PRODUCT_CATEGORY('part',$,(", step_name(own), "))");
    const std::uint64_t formation =
        out_.add("PRODUCT_DEFINITION_FORMATION('','',", step_name(own), ")");
    const std::uint64_t definition =
        out_.add("PRODUCT_DEFINITION('design','',", step_name(formation), ",",
                 step_name(definition_context_), ")");
    const std::uint64_t shape =
        out_.add("PRODUCT_DEFINITION_SHAPE('','',", step_name(definition), ")");
    out_.add("SHAPE_DEFINITION_REPRESENTATION(", step_name(shape), ",", step_name(representation),
             ")");
    return {definition, representation, origin};
  }

  // False if there are none, or not all of it can be written so.
  bool write_surfaces(const std::string& name, const Shape& shape, StepItems& to) {
    detail::WholeFaces whole;
    if (shape.surfaces.empty()) {
      if (model_.sources.empty()) return false;  // of meshes nobody expects surfaces
      whole.why_not = "it is a mesh";
    } else {
      whole = detail::find_whole_faces(shape);
    }
    if (!whole.why_not.empty()) {
      std::string& names = faceted_why_[whole.why_not];
      names += (names.empty() ? "'" : ", '") + name + "'";
      return false;
    }
    for (std::size_t o = 0; o < shape.surfaces.size(); ++o) {
      const SurfaceOrigin& origin = shape.surfaces[o];
      const std::string& own = origin.body->body.name;
      const detail::WrittenBody body = detail::write_step_body(
          out_, styles_, shape, origin, whole.bodies[o], fit_within_, own.empty() ? name : own, to);
      fitted_ += body.fitted;
      fitted_off_ = std::max(fitted_off_, body.fitted_off);
      undivided_.insert(body.undivided.begin(), body.undivided.end());
    }
    return true;
  }

  std::uint64_t axes(const Placement& at) {
    const auto list = [](const Vector& v) {
      return "(" + step_real(v.x()) + "," + step_real(v.y()) + "," + step_real(v.z()) + ")";
    };
    const std::uint64_t origin = out_.add("CARTESIAN_POINT('',", list(at.shift), ")");
    const std::uint64_t z = out_.add("DIRECTION('',", list(at.linear.col(2)), ")");
    const std::uint64_t x = out_.add("DIRECTION('',", list(at.linear.col(0)), ")");
    return out_.add("AXIS2_PLACEMENT_3D('',", step_name(origin), ",", step_name(z), ",",
                    step_name(x), ")");
  }

  void assembly() {
    const std::uint64_t origin = axes({});
    StepIds items = {origin};
    for (const Instance& i : instances_) items.push_back(axes(i.placement));
    const Product whole = product_of("assembly", "SHAPE_REPRESENTATION", items, origin);
    for (std::size_t i = 0; i < instances_.size(); ++i) {
      const Instance& instance = instances_[i];
      const Product& part = products_[instance.product];
      const std::string id = step_text(std::to_string(i + 1));
      const std::uint64_t occurrence =
          out_.add("NEXT_ASSEMBLY_USAGE_OCCURRENCE(", id, ",", step_text(instance.name), ",'',",
                   step_name(whole.definition), ",", step_name(part.definition), ",$)");
      const std::uint64_t shape =
          out_.add("PRODUCT_DEFINITION_SHAPE('placement','',", step_name(occurrence), ")");
      const std::uint64_t move =
          out_.add("ITEM_DEFINED_TRANSFORMATION('','',", step_name(part.origin), ",",
                   step_name(items[i + 1]), ")");
      const std::uint64_t relation = out_.add(
          "(REPRESENTATION_RELATIONSHIP('','',", step_name(part.representation), ",",
          step_name(whole.representation), ")REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION(",
          step_name(move), ")SHAPE_REPRESENTATION_RELATIONSHIP())");
      out_.add("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION(", step_name(relation), ",",
               step_name(shape), ")");
    }
  }

  void styles() {
    StepIds styled;
    for (const auto& [rgb, faces] : styles_.coloured) {
      const std::uint64_t colour = out_.add("COLOUR_RGB('',", step_real(rgb[0]), ",",
                                            step_real(rgb[1]), ",", step_real(rgb[2]), ")");
      const std::uint64_t fill = out_.add("FILL_AREA_STYLE_COLOUR('',", step_name(colour), ")");
      const std::uint64_t area = out_.add("FILL_AREA_STYLE('',(", step_name(fill), "))");
      const std::uint64_t surface = out_.add("SURFACE_STYLE_FILL_AREA(", step_name(area), ")");
      const std::uint64_t side = out_.add("SURFACE_SIDE_STYLE('',(", step_name(surface), "))");
      const std::uint64_t usage = out_.add("SURFACE_STYLE_USAGE(.BOTH.,", step_name(side), ")");
      const std::uint64_t style =
          out_.add("PRESENTATION_STYLE_ASSIGNMENT((", step_name(usage), "))");
      for (const std::uint64_t face : faces) {
        styled.push_back(
            out_.add("STYLED_ITEM('',(", step_name(style), "),", step_name(face), ")"));
      }
    }
    if (!styled.empty()) {
      out_.add("MECHANICAL_DESIGN_GEOMETRIC_PRESENTATION_REPRESENTATION('',", step_list(styled),
               ",", step_name(context_), ")");
    }
    for (const auto& [name, faces] : styles_.layers) {
      out_.add("PRESENTATION_LAYER_ASSIGNMENT(", step_text(name), ",'',", step_list(faces), ")");
    }
    for (const auto& [name, faces] : styles_.groups) {
      const std::uint64_t group = out_.add("GROUP(", step_text(name), ",'')");
      out_.add("APPLIED_GROUP_ASSIGNMENT(", step_name(group), ",", step_list(faces), ")");
    }
  }

  static constexpr double kLeastUncertainty = 1e-9;  // of the model
  static constexpr double kFitPart = 0.1;            // of the uncertainty

  const ByteSink& sink_;
  const Model& model_;
  const WriteOptions& options_;
  StepEntities out_;
  WriteReport report_;
  StepStyles styles_;
  std::uint64_t application_ = 0, product_context_ = 0, definition_context_ = 0, context_ = 0;
  double uncertainty_ = 0, fit_within_ = 0, fitted_off_ = 0;
  std::size_t fitted_ = 0;
  std::set<EntityNumber> undivided_;  // faces without triangles that are in the file all the same
  std::vector<Product> products_;
  std::vector<Instance> instances_;
  std::map<const Shape*, std::size_t> uses_of_, product_of_;
  std::map<std::string, std::string> faceted_why_;  // names by reason
};

}  // namespace

WriteReport write_step(const ByteSink& sink, const Model& model, const WriteOptions& options) {
  return StepWriter(sink, model, options).run();
}

}  // namespace aguja
