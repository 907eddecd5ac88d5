#include "demo/write_demo.h"

#include <fstream>

#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/formats/write.h"

namespace aguja::demo {
namespace {

using Json = nlohmann::ordered_json;

Json defects_json(const std::vector<SeededDefect>& seeded) {
  Json defects = Json::array();
  for (const SeededDefect& d : seeded) {
    defects.push_back({{"kind", slug(d.kind)},
                       {"part", d.part},
                       {"place", {d.place.x(), d.place.y(), d.place.z()}},
                       {"size", d.size},
                       {"measures", info(d.kind).measure_name},
                       {"count", d.count ? Json(*d.count) : Json(nullptr)}});
  }
  return defects;
}

void make_folder(const std::filesystem::path& folder) {
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error) throw OutputError(folder.string() + ": cannot be made: " + error.message());
}

void check_free(const std::filesystem::path& file, const std::filesystem::path& record,
                bool overwrite) {
  if (overwrite || (!std::filesystem::exists(file) && !std::filesystem::exists(record))) return;
  throw OutputError(file.string() + " or its record exists already; --overwrite replaces them");
}

void write_text(const std::filesystem::path& file, const std::string& text) {
  std::ofstream out(file, std::ios::binary);
  out << text;
  if (!out.flush()) throw OutputError(file.string() + ": cannot be written");
}

Json record_of(const DemoModel& demo, const std::string& file) {
  return {{"schema", {{"name", "aguja.demo-record"}, {"version", 1}}},
          {"file", file},
          {"what", demo.what},
          {"unit", symbol(demo.model.unit)},
          {"volume", demo.volume ? Json(*demo.volume) : Json(nullptr)},
          {"tear", demo.tear ? Json{{"width", demo.tear->width},
                                    {"stitch_tolerance", demo.tear->stitch_tolerance},
                                    {"naked_edges", demo.tear->naked_edges},
                                    {"as_one", demo.tear->as_one}}
                             : Json(nullptr)},
          {"defects", defects_json(demo.defects)}};
}

}  // namespace

std::vector<WrittenDemo> write_demo(const std::filesystem::path& folder, bool overwrite) {
  make_folder(folder);
  std::vector<WrittenDemo> written;
  for (DemoModel& demo : demo_models()) {
    const std::filesystem::path file = folder / (demo.name + "." + std::string(slug(demo.format)));
    const std::filesystem::path record = folder / (demo.name + ".json");
    check_free(file, record, overwrite);
    write_model(file, demo.model, demo.format, {}, overwrite);
    write_text(record, record_of(demo, file.filename().string()).dump(2) + "\n");
    written.push_back({std::move(demo), file, record});
  }
  return written;
}

std::vector<WrittenSurfaceDemo> write_surface_demo(const std::filesystem::path& folder,
                                                   bool overwrite) {
  make_folder(folder);
  std::vector<WrittenSurfaceDemo> written;
  for (SurfaceDemo& demo : surface_demos()) {
    const std::filesystem::path file = folder / demo.name;
    const std::filesystem::path record = folder / (demo.name + ".json");
    check_free(file, record, overwrite);
    write_text(file, demo.text);
    const Json json = {{"schema", {{"name", "aguja.demo-record"}, {"version", 1}}},
                       {"file", demo.name},
                       {"what", demo.what},
                       {"unit", "mm"},
                       {"volume", demo.volume ? Json(*demo.volume) : Json(nullptr)},
                       {"tear", nullptr},
                       {"defects", defects_json(demo.defects)}};
    write_text(record, json.dump(2) + "\n");
    written.push_back({std::move(demo), file, record});
  }
  return written;
}

}  // namespace aguja::demo
