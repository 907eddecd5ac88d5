#include "aguja/report/surface_report.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "report/json_parts.h"
#include "report/text_parts.h"

namespace aguja {
namespace {

Json statistics_json(const ToleranceStatistics& s) {
  return {{"count", s.count},       {"least", s.least},
          {"mean", s.mean},         {"largest", s.largest},
          {"at", point_json(s.at)}, {"entity", s.entity == 0 ? Json(nullptr) : Json(s.entity)}};
}

Json closed_json(const PreparedSurfaces& surfaces) {
  Json out = Json::array();
  for (const ClosedPlane& c : surfaces.closed) {
    out.push_back({{"face", c.face},
                   {"place", point_json(c.place)},
                   {"distance", c.distance},
                   {"loops", c.loops},
                   {"edges", c.edges}});
  }
  return out;
}

// Names, and how many faces have each.
template <class NamesOf>
Json named_faces_json(const SurfaceModel& model, const NamesOf& names_of) {
  std::map<std::string, std::size_t> faces;
  for (const Body& body : model.bodies) {
    for (const Face& face : body.faces) {
      for (const std::string& name : names_of(face)) ++faces[name];
    }
  }
  Json out = Json::array();
  for (const auto& [name, count] : faces) out.push_back({{"name", name}, {"faces", count}});
  return out;
}
Json layers_json(const SurfaceModel& model) {
  return named_faces_json(model, [](const Face& face) {
    return face.layer.empty() ? std::vector<std::string>() : std::vector{face.layer};
  });
}
Json groups_json(const SurfaceModel& model) {
  return named_faces_json(model, [](const Face& face) { return face.groups; });
}

Json healed_json(const PreparedSurfaces& surfaces, std::vector<Healed> HealResult::*list) {
  Json out = Json::array();
  for (const HealResult& result : surfaces.healing) {
    for (const Healed& h : result.*list) {
      out.push_back({{"healing", slug(h.healing)},
                     {"face", h.face},
                     {"entity", h.entity == 0 ? Json(nullptr) : Json(h.entity)},
                     {"place", point_json(h.place)},
                     {"distance", h.distance},
                     {"detail", h.detail}});
    }
  }
  return out;
}

// "3 gaps in loops closed (at most 0.002 mm)", a note for each way of healing.
void add_healing_notes(const PreparedSurfaces& surfaces, std::vector<std::string>& notes) {
  const std::string_view unit = symbol(surfaces.model.unit);
  for (const Healing healing : all_healings()) {
    std::size_t done = 0, refused = 0;
    double largest = 0;
    std::string first, why;
    const auto place_of = [](const Healed& h) {
      return fmt::format("face {}{}", h.face,
                         h.entity == 0 ? std::string() : fmt::format(" (#{})", h.entity));
    };
    for (const HealResult& result : surfaces.healing) {
      for (const Healed& h : result.healed) {
        if (h.healing != healing) continue;
        if (done++ == 0) first = place_of(h) + ": " + h.detail;
        largest = std::max(largest, h.distance);
      }
      for (const Healed& h : result.refused) {
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

Json surface_json(const PreparedSurfaces& surfaces) {
  const SurfaceCounts c = count_surfaces(surfaces.model);
  const BodyTolerances t = measure_tolerances(surfaces);
  Json left_out = Json::array();
  for (const NotUnderstood& n : surfaces.model.not_understood) {
    left_out.push_back({{"type", n.type}, {"count", n.count}});
  }
  std::size_t joined = 0, divided = 0;
  for (const SewResult& s : surfaces.sewing) {
    joined += s.joined;
    divided += s.divided;
  }
  return {{"bodies", surfaces.model.bodies.size()},
          {"instances", surfaces.model.instances.size()},
          {"faces", c.faces},
          {"edges", c.edges},
          {"vertices", c.vertices},
          {"edges_used_once", c.edges_used_once},
          {"edges_used_twice", c.edges_used_twice},
          {"edges_used_more", c.edges_used_more},
          {"shells", c.shells},
          {"closed_shells", c.closed_shells},
          {"not_understood", std::move(left_out)},
          {"uncertainty",
           surfaces.model.uncertainty ? Json(*surfaces.model.uncertainty) : Json(nullptr)},
          {"sewing",
           {{"tolerance", surfaces.sew_tolerance},
            {"why", surfaces.sew_why},
            {"joined", joined},
            {"divided", divided}}},
          {"closed", closed_json(surfaces)},
          {"layers", layers_json(surfaces.model)},
          {"groups", groups_json(surfaces.model)},
          {"healed", healed_json(surfaces, &HealResult::healed)},
          {"not_healed", healed_json(surfaces, &HealResult::refused)},
          {"tolerances",
           {{"vertices", statistics_json(t.vertices)},
            {"edges", statistics_json(t.edges)},
            {"faces", statistics_json(t.faces)}}},
          {"chord_height", surfaces.tessellated.chord},
          {"area_within", surfaces.errors.area},
          {"volume_within", surfaces.errors.volume}};
}

std::vector<std::string> surface_notes(const PreparedSurfaces& surfaces) {
  const SurfaceCounts c = count_surfaces(surfaces.model);
  const std::string_view unit = symbol(surfaces.model.unit);
  std::vector<std::string> notes;
  notes.push_back(
      fmt::format("{}, {} ({} used once, {} more than twice), {} of {} shells closed by shared "
                  "edges; facets within {} {}",
                  plural(c.faces, "face"), plural(c.edges, "edge"), grouped(c.edges_used_once),
                  grouped(c.edges_used_more), grouped(c.closed_shells), grouped(c.shells),
                  brief(surfaces.tessellated.chord), unit));
  if (surfaces.errors.volume > 0) {
    notes.push_back(
        fmt::format("of the surfaces themselves, areas are within {} {}² and volumes within {} {}³",
                    brief(surfaces.errors.area), unit, brief(surfaces.errors.volume), unit));
  }
  std::size_t joined = 0, divided = 0, before = 0;
  double gap = 0;
  for (const SewResult& s : surfaces.sewing) {
    joined += s.joined;
    divided += s.divided;
    before += s.open_before;
    gap = std::max(gap, s.largest_gap);
  }
  if (joined > 0) {
    notes.push_back(fmt::format(
        "{} of {} sewn in pairs at {} {} ({}): at most {} {} apart{}", grouped(2 * joined),
        plural(before, "edge that the file does not share", "edges that the file does not share"),
        brief(surfaces.sew_tolerance), unit, surfaces.sew_why, brief(gap), unit,
        divided > 0 ? fmt::format("; {} divided for it", grouped(divided)) : std::string()));
  }
  for (const ClosedPlane& plane : surfaces.closed) {
    notes.push_back(
        fmt::format("face {} was missing, and is closed by a plane: {} in {}, within {} {} "
                    "of it, at {}",
                    plane.face, plural(plane.edges, "edge"), plural(plane.loops, "loop"),
                    brief(plane.distance), unit, brief(plane.place)));
  }
  add_healing_notes(surfaces, notes);
  if (!surfaces.model.not_understood.empty()) {
    std::string text = "not understood, and left out:";
    std::size_t told = 0;
    for (const NotUnderstood& n : surfaces.model.not_understood) {
      if (++told > 8) break;
      text += fmt::format("{} {} x {}", told == 1 ? "" : ",", n.count, n.type);
    }
    notes.push_back(std::move(text));
  }
  return notes;
}

std::string tolerances_text(const PreparedSurfaces& surfaces, const TextOptions& options) {
  const BodyTolerances t = measure_tolerances(surfaces);
  TextTable table({{fmt::format("tolerances in {}", symbol(surfaces.model.unit)), Align::left},
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
