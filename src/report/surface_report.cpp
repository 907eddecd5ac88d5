#include "aguja/report/surface_report.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "report/json_parts.h"
#include "report/text_parts.h"

namespace aguja {
namespace {

// Do its surfaces enclose a volume, all of it known?
bool is_closed(const SurfaceSource& source, const SurfaceCounts& counts) {
  return counts.shells > 0 && counts.closed_shells == counts.shells &&
         std::all_of(source.bodies.begin(), source.bodies.end(),
                     [](const PreparedBodyPtr& body) { return body->lost.empty(); });
}

Json statistics_json(const ToleranceStatistics& s, double m) {
  return {{"count", s.count},           {"least", m * s.least},
          {"mean", m * s.mean},         {"largest", m * s.largest},
          {"at", point_json(m * s.at)}, {"entity", s.entity == 0 ? Json(nullptr) : Json(s.entity)}};
}

Json closed_json(const SurfaceSource& source) {
  Json out = Json::array();
  for (const PreparedBodyPtr& body : source.bodies) {
    for (const ClosedPlane& c : body->closed) {
      out.push_back({{"face", c.face},
                     {"place", point_json(source.to_model * c.place)},
                     {"distance", source.to_model * c.distance},
                     {"loops", c.loops},
                     {"edges", c.edges}});
    }
  }
  return out;
}

// Names, and how many faces have each.
template <class NamesOf>
Json named_faces_json(const SurfaceSource& source, const NamesOf& names_of) {
  std::map<std::string, std::size_t> faces;
  for (const PreparedBodyPtr& body : source.bodies) {
    for (const Face& face : body->body.faces) {
      for (const std::string& name : names_of(face)) ++faces[name];
    }
  }
  Json out = Json::array();
  for (const auto& [name, count] : faces) out.push_back({{"name", name}, {"faces", count}});
  return out;
}
Json layers_json(const SurfaceSource& source) {
  return named_faces_json(source, [](const Face& face) {
    return face.layer.empty() ? std::vector<std::string>() : std::vector{face.layer};
  });
}
Json groups_json(const SurfaceSource& source) {
  return named_faces_json(source, [](const Face& face) { return face.groups; });
}

Json healed_json(const SurfaceSource& source, std::vector<Healed> PreparedBody::*list) {
  Json out = Json::array();
  for (const PreparedBodyPtr& body : source.bodies) {
    for (const Healed& h : (*body).*list) {
      out.push_back({{"healing", slug(h.healing)},
                     {"face", h.face},
                     {"entity", h.entity == 0 ? Json(nullptr) : Json(h.entity)},
                     {"place", point_json(source.to_model * h.place)},
                     {"distance", source.to_model * h.distance},
                     {"detail", h.detail}});
    }
  }
  return out;
}

// "3 gaps in loops closed (at most 0.002 mm)", a note for each way of healing.
void add_healing_notes(const SurfaceSource& source, std::vector<std::string>& notes) {
  const std::string_view unit = symbol(source.unit);
  for (const Healing healing : all_healings()) {
    std::size_t done = 0, refused = 0;
    double largest = 0;
    std::string first, why;
    const auto place_of = [](const Healed& h) {
      return fmt::format("face {}{}", h.face,
                         h.entity == 0 ? std::string() : fmt::format(" (#{})", h.entity));
    };
    for (const PreparedBodyPtr& body : source.bodies) {
      for (const Healed& h : body->healed) {
        if (h.healing != healing) continue;
        if (done++ == 0) first = place_of(h) + ": " + h.detail;
        largest = std::max(largest, h.distance);
      }
      for (const Healed& h : body->not_healed) {
        if (h.healing != healing) continue;
        if (refused++ == 0) why = place_of(h) + ": " + h.detail;
      }
    }
    if (done > 0) {
      notes.push_back(fmt::format(
          "healed, {}: {}, {} x{}; first {}", slug(healing), explanation(healing), done,
          largest > 0 ? fmt::format(", at most {} {}", brief(largest), unit) : std::string(),
          first));
    }
    if (refused > 0) {
      notes.push_back(fmt::format("not healed, {}: {} x; first {}", slug(healing), refused, why));
    }
  }
}

}  // namespace

namespace {

Json source_json(const SurfaceSource& source) {
  const double m = source.to_model;
  const SurfaceCounts c = count_surfaces(source.bodies);
  const BodyTolerances t = measure_tolerances(source.bodies);
  Json left_out = Json::array();
  for (const NotUnderstood& n : source.not_understood) {
    left_out.push_back({{"type", n.type}, {"count", n.count}});
  }
  const CoarseFaces coarse = coarse_faces(source.bodies);
  std::size_t joined = 0, divided = 0;
  for (const PreparedBodyPtr& body : source.bodies) {
    const SewReport& s = body->sewing;
    joined += s.joined;
    divided += s.divided;
  }
  return {
      {"bodies", source.bodies.size()},
      {"instances", source.instances.size()},
      {"faces", c.faces},
      {"edges", c.edges},
      {"vertices", c.vertices},
      {"edges_used_once", c.edges_used_once},
      {"edges_used_twice", c.edges_used_twice},
      {"edges_used_more", c.edges_used_more},
      {"shells", c.shells},
      {"closed_shells", c.closed_shells},
      {"not_understood", std::move(left_out)},
      {"uncertainty", source.uncertainty ? Json(m * *source.uncertainty) : Json(nullptr)},
      {"sewing",
       {{"tolerance", m * source.tolerance.value},
        {"why", source.tolerance.why},
        {"joined", joined},
        {"divided", divided}}},
      {"closed", closed_json(source)},
      {"layers", layers_json(source)},
      {"groups", groups_json(source)},
      {"healed", healed_json(source, &PreparedBody::healed)},
      {"not_healed", healed_json(source, &PreparedBody::not_healed)},
      {"tolerances",
       {{"vertices", statistics_json(t.vertices, m)},
        {"edges", statistics_json(t.edges, m)},
        {"faces", statistics_json(t.faces, m)}}},
      {"chord_height", m * source.chord},
      {"coarse_faces", coarse.count},
      {"facets_within", m * std::max(source.chord, coarse.within)},
      {"area", m * m * source.sizes.area},
      {"area_within", m * m * source.sizes.area_within},
      {"volume", is_closed(source, c) ? Json(m * m * m * source.sizes.volume) : Json(nullptr)},
      {"volume_within", m * m * m * source.sizes.volume_within},
      {"centroid", is_closed(source, c) ? point_json(m * source.sizes.centroid) : Json(nullptr)},
      {"inertia", is_closed(source, c) ? matrix_json(std::pow(m, 5) * source.sizes.inertia())
                                       : Json(nullptr)}};
}

// Numbers add up; what is stated of one file only is that of the file for which it is largest.
void add_numbers(Json& sum, const Json& more) {
  for (const auto& [key, value] : more.items()) {
    Json& own = sum[key];
    // Of several files together they are not worked out.
    if (key == "centroid" || key == "inertia") {
      own = nullptr;
      continue;
    }
    if (value.is_array()) {
      for (const Json& item : value) own.push_back(item);
    } else if (value.is_object()) {
      if (key == "vertices" || key == "edges" || key == "faces") {
        if (value["largest"] > own["largest"]) own = value;
      } else {
        add_numbers(own, value);
      }
    } else if (key == "tolerance" || key == "chord_height" || key == "facets_within" ||
               key == "uncertainty") {
      if (own.is_null() || value > own) own = value;
    } else if (own.is_null()) {
      continue;
    } else if (value.is_null()) {
      own = nullptr;
    } else if (value.is_number()) {
      own = value.is_number_float() ? Json(own.get<double>() + value.get<double>())
                                    : Json(own.get<std::size_t>() + value.get<std::size_t>());
    }
  }
}

}  // namespace

Json surface_json(const Model& model) {
  if (model.sources.empty()) return nullptr;
  Json all = source_json(model.sources[0]);
  if (model.sources.size() == 1) return all;
  Json files = Json::array();
  for (std::size_t i = 0; i < model.sources.size(); ++i) {
    Json own = source_json(model.sources[i]);
    if (i > 0) add_numbers(all, own);
    own["file"] = model.sources[i].file;
    files.push_back(std::move(own));
  }
  all["files"] = std::move(files);
  return all;
}

std::vector<std::string> notes_of(const Model& model) {
  std::vector<std::string> notes = model.notes;
  for (std::size_t i = 0; i < model.sources.size(); ++i) {
    for (const std::string& note : surface_notes(model.sources[i])) {
      notes.push_back(model.sources.size() > 1 ? model.sources[i].file + ": " + note : note);
    }
  }
  return notes;
}

std::vector<std::string> surface_notes(const SurfaceSource& source) {
  const SurfaceCounts c = count_surfaces(source.bodies);
  const std::string_view unit = symbol(source.unit);
  std::vector<std::string> notes;
  notes.push_back(
      fmt::format("{}, {} ({} used once, {} more than twice), {} of {} shells closed by shared "
                  "edges; facets within {} {}",
                  plural(c.faces, "face"), plural(c.edges, "edge"), grouped(c.edges_used_once),
                  grouped(c.edges_used_more), grouped(c.closed_shells), grouped(c.shells),
                  brief(source.chord), unit));
  if (const CoarseFaces coarse = coarse_faces(source.bodies); coarse.count > 0) {
    notes.back() += fmt::format(", but for those of {}: within {} {}", plural(coarse.count, "face"),
                                brief(coarse.within), unit);
  }
  const SurfaceSizes& sizes = source.sizes;
  if (sizes.area > 0) {
    std::string note = fmt::format("the surfaces themselves: area {:.10g} {}² within {}",
                                   sizes.area, unit, brief(sizes.area_within));
    if (is_closed(source, c)) {
      note += fmt::format(", volume {:.10g} {}³ within {}", sizes.volume, unit,
                          brief(sizes.volume_within));
    }
    notes.push_back(std::move(note));
  }
  std::size_t sewn = 0, divided = 0, before = 0, away = 0;
  double gap = 0;
  for (const PreparedBodyPtr& body : source.bodies) {
    const SewReport& s = body->sewing;
    sewn += s.open_before - s.open_after;
    divided += s.divided;
    before += s.open_before;
    away += s.closed_away.size();
    gap = std::max(gap, s.largest_gap);
  }
  if (sewn > 0) {
    notes.push_back(fmt::format(
        "{} of {} sewn in pairs at {} {} ({}): at most {} {} apart{}", grouped(sewn),
        plural(before, "edge that the file does not share", "edges that the file does not share"),
        brief(source.tolerance.value), unit, source.tolerance.why, brief(gap), unit,
        divided > 0 ? fmt::format("; {} divided for it", grouped(divided)) : std::string()));
  }
  if (away > 0) {
    notes.push_back(fmt::format("{} closed away, narrower than {} {}",
                                plural(away, "face was", "faces were"),
                                brief(source.tolerance.value), unit));
  }
  std::vector<ClosedPlane> planes;
  for (const PreparedBodyPtr& body : source.bodies) {
    planes.insert(planes.end(), body->closed.begin(), body->closed.end());
  }
  for (const ClosedPlane& plane : planes) {
    notes.push_back(
        fmt::format("face {} was missing, and is closed by a plane: {} in {}, within {} {} "
                    "of it, at {}",
                    plane.face, plural(plane.edges, "edge"), plural(plane.loops, "loop"),
                    brief(plane.distance), unit, brief(plane.place)));
  }
  add_healing_notes(source, notes);
  if (!source.not_understood.empty()) {
    std::string text = "not understood, and left out:";
    std::size_t told = 0;
    for (const NotUnderstood& n : source.not_understood) {
      if (++told > 8) break;
      text += fmt::format("{} {} x {}", told == 1 ? "" : ",", n.count, n.type);
    }
    notes.push_back(std::move(text));
  }
  return notes;
}

std::string tolerances_text(const SurfaceSource& source, const TextOptions& options) {
  const BodyTolerances t = measure_tolerances(source.bodies);
  TextTable table({{fmt::format("tolerances in {}", symbol(source.unit)), Align::left},
                   {"least", Align::right},
                   {"mean", Align::right},
                   {"largest", Align::right},
                   {"at", Align::left},
                   {"entity", Align::right}});
  const auto row = [&](const char* name, const ToleranceStatistics& s) {
    table.add({fmt::format("{} {}", grouped(s.count), name), fmt::format("{:.3g}", s.least),
               fmt::format("{:.3g}", s.mean), fmt::format("{:.3g}", s.largest), brief(s.at),
               s.entity == 0 ? "-" : "#" + std::to_string(s.entity)});
  };
  row("vertices, from the ends of their edges", t.vertices);
  row("edges, from the surfaces of their faces", t.edges);
  row("faces, from their edges", t.faces);
  return "\n" + table.text(options.width);
}

}  // namespace aguja
