#include "aguja/report/page.h"

#include <cmath>

#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/base/parallel.h"
#include "aguja/geometry/box_tree.h"
#include "aguja/inspect/finding_fields.h"
#include "aguja/report/json.h"
#include "aguja/report/verdict.h"
#include "report/page_files.h"
#include "report/viewer_mesh.h"

namespace aguja {

using Json = nlohmann::ordered_json;

namespace {

// What a script element may hold: nothing that ends it, or begins another.
std::string safe(std::string text) {
  for (const std::string_view what : {"</", "<!--"}) {
    for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at + 3)) {
      text.insert(at + 1, "\\");
    }
  }
  return text;
}
// In data every such sign is written by its number.
std::string data(const Json& content) {
  std::string text;
  for (const char c : content.dump(-1, ' ', false, Json::error_handler_t::replace)) {
    if (c == '<') {
      text += "\\u003c";
    } else {
      text += c;
    }
  }
  return text;
}

Json verdict_json(const PageModel& m) {
  const VerdictWords words = verdict_words(*m.model, *m.inspection);
  Json reasons = Json::array();
  if (const auto& certificate = m.inspection->certificate) {
    for (const Reason& r : certificate->reasons) {
      reasons.push_back((r.part.empty() ? "" : r.part + ": ") + r.text);
    }
  }
  return {{"sentence", words.sentence},
          {"next", words.next},
          {"tone", slug(words.tone)},
          {"reasons", reasons}};
}

// Fields as 16 bits between their least and largest.
Json field_json(const TriangleField& field, const ViewerMesh& mesh) {
  float least = std::numeric_limits<float>::infinity(), largest = -least;
  for (const float v : field.values) {
    if (!std::isfinite(v)) continue;
    least = std::min(least, v);
    largest = std::max(largest, v);
  }
  constexpr std::uint32_t kNone = 65535, kMost = 65534;
  std::vector<std::uint32_t> steps;
  steps.reserve(mesh.source.size());
  for (const std::uint32_t t : mesh.source) {
    const float v = field.values[t];
    const float share = largest > least ? (v - least) / (largest - least) : 0;
    steps.push_back(std::isfinite(v) ? static_cast<std::uint32_t>(std::lround(share * kMost))
                                     : kNone);
  }
  if (!(least <= largest)) least = largest = 0;
  return {{"slug", field.slug},     {"title", field.title},
          {"unit", field.unit},     {"least", least},
          {"largest", largest},     {"smaller_is_worse", field.smaller_is_worse},
          {"values", packed(steps)}};
}

Json findings_json(const PageModel& m, const PageOptions& options) {
  Json all = inspect_json(*m.model, *m.inspection, options.most_findings, {});
  all.erase("timings");
  all.erase("peak_bytes");
  for (std::size_t i = 0; i < all["findings"].size(); ++i) {
    all["findings"][i]["triangles"] = model_triangles(*m.model, m.inspection->findings[i]);
  }
  return all;
}

Json model_json(const PageModel& m, const PageOptions& options) {
  const std::size_t n = triangle_count(*m.model);
  for (const TriangleField& field : m.fields) {
    if (field.values.size() != n) {
      throw ArgumentError("page: the field " + field.slug + " is not of this model");
    }
  }
  std::vector<bool> keep(n);
  for (const Finding& f : m.inspection->findings) {
    for (const std::size_t t : model_triangles(*m.model, f)) keep[t] = true;
  }
  const ViewerMesh mesh =
      viewer_mesh(*m.model, m.inspection->patches, keep, options.most_triangles);
  Json parts = Json::array();
  for (std::size_t p = 0; p < m.model->parts.size(); ++p) {
    parts.push_back({{"name", m.model->parts[p].name}, {"end", mesh.part_ends[p]}});
  }
  const std::span<const std::uint32_t> lists[] = {mesh.positions, mesh.corners, mesh.patch_of,
                                                  mesh.naked, mesh.borders};
  std::string texts[std::size(lists)];
  parallel_tasks(std::size(lists), [&](std::size_t i) { texts[i] = packed(lists[i]); });
  Json fields = Json::array();
  for (const TriangleField& field : m.fields) fields.push_back(field_json(field, mesh));
  Json object = {{"label", m.label},
                 {"file", m.file},
                 {"digest", m.digest},
                 {"note", m.note},
                 {"unit", symbol(m.model->unit)},
                 {"unit_assumed", m.model->unit_assumed},
                 {"triangles", n},
                 {"shown", mesh.source.size()},
                 {"reduced", mesh.reduced},
                 {"low", {mesh.low.x(), mesh.low.y(), mesh.low.z()}},
                 {"step", mesh.step},
                 {"parts", parts},
                 {"positions", texts[0]},
                 {"corners", texts[1]},
                 {"patches", texts[2]},
                 {"naked", texts[3]},
                 {"borders", texts[4]},
                 {"fields", fields},
                 {"verdict", verdict_json(m)},
                 {"total", m.inspection->findings.size()},
                 {"inspection", findings_json(m, options)}};
  if (mesh.reduced) object["source"] = packed(mesh.source);
  if (const auto& certificate = m.inspection->certificate;
      certificate && certificate->encloses && volume_doubt(*certificate).empty()) {
    object["volume"] = certificate->mass.volume;
  }
  return object;
}

Json kinds_json(const std::vector<PageModel>& models) {
  std::set<FindingKind> present;
  for (const PageModel& m : models) {
    for (const Finding& f : m.inspection->findings) present.insert(f.kind);
  }
  const std::vector<FindingKind> list(present.begin(), present.end());
  return explain_json(list)["kinds"];
}

}  // namespace

std::string_view slug(Fate fate) {
  switch (fate) {
    case Fate::gone:
      return "gone";
    case Fate::left:
      return "left";
    case Fate::new_:
      return "new";
  }
  return "";
}

Fates fates_of(const Inspection& before, const Inspection& after, double reach) {
  Fates fates{std::vector<Fate>(before.findings.size(), Fate::gone),
              std::vector<Fate>(after.findings.size(), Fate::new_)};
  // Boxes that hold their places, so that what is the same has boxes that meet.
  const auto reached = [&](const Finding& f) {
    Box box = f.box;
    box.extend(f.place);
    const Vector margin = Vector::Constant(reach);
    box.low -= margin;
    box.high += margin;
    return box;
  };
  const auto covers = [&](const Finding& f, const Point& p) {
    return ((p - f.box.low).array() >= -reach).all() && ((f.box.high - p).array() >= -reach).all();
  };
  Array<FloatBox> boxes;
  for (const Finding& g : after.findings) boxes.push_back(FloatBox(reached(g)));
  const BoxTree tree(std::move(boxes));
  for (std::size_t b = 0; b < before.findings.size(); ++b) {
    const Finding& f = before.findings[b];
    tree.for_each_meeting(FloatBox(reached(f)), [&](std::uint32_t a) {
      const Finding& g = after.findings[a];
      if (f.kind != g.kind || !(covers(f, g.place) || covers(g, f.place))) return;
      fates.before[b] = fates.after[a] = Fate::left;
    });
  }
  return fates;
}

std::string page_html(const std::vector<PageModel>& models,
                      const std::optional<Deviation>& deviation, const PageOptions& options) {
  if (models.empty() || (models.size() > 2 && options.trial.empty())) {
    throw ArgumentError("page: one model is shown, or two, or the fills of a trial");
  }
  Json content;
  content["models"] = Json::array();
  for (const PageModel& m : models) content["models"].push_back(model_json(m, options));
  content["kinds"] = kinds_json(models);
  if (!options.trial.empty()) {
    content["trial"] = options.trial;
  } else if (models.size() == 2) {
    const double reach = 1e-3 * box_of(*models[0].model).diagonal();
    const Fates fates = fates_of(*models[0].inspection, *models[1].inspection, reach);
    const auto list = [](const std::vector<Fate>& of) {
      Json words = Json::array();
      for (const Fate f : of) words.push_back(slug(f));
      return words;
    };
    content["fates"] = {list(fates.before), list(fates.after)};
  }
  if (deviation) {
    content["deviation"] =
        compare_json(*models[0].model, *models.back().model, *deviation, {})["deviation"];
  }
  std::string page(page_file("page.html"));
  const auto put = [&](std::string_view mark, const std::string& text) {
    const std::size_t at = page.find(mark);
    if (at == std::string::npos) throw InternalError("page: no place for " + std::string(mark));
    page.replace(at, mark.size(), text);
  };
  std::string script;
  for (const auto* name : {"data.js", "scene.js", "camera.js", "panel.js", "tools.js", "main.js"}) {
    script += page_file(name);
  }
  put("/*style*/", std::string(page_file("page.css")));
  put("/*content*/", data(content));
  put("/*three*/", safe(std::string(page_file("three.js"))));
  put("/*script*/", safe(script));
  return page;
}

}  // namespace aguja
