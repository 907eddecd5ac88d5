#include "demo/write_demo.h"

#include <fstream>

#include <nlohmann/json.hpp>

#include "aguja/base/error.h"
#include "aguja/formats/write.h"

namespace aguja::demo {
namespace {

using Json = nlohmann::ordered_json;

Json record_of(const DemoModel& demo, const std::string& file) {
  Json defects = Json::array();
  for (const SeededDefect& d : demo.defects) {
    defects.push_back({{"kind", slug(d.kind)},
                       {"part", d.part},
                       {"place", {d.place.x(), d.place.y(), d.place.z()}},
                       {"size", d.size},
                       {"measures", info(d.kind).measure_name},
                       {"count", d.count ? Json(*d.count) : Json(nullptr)}});
  }
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
          {"defects", std::move(defects)}};
}

}  // namespace

std::vector<WrittenDemo> write_demo(const std::filesystem::path& folder, bool overwrite) {
  std::error_code error;
  std::filesystem::create_directories(folder, error);
  if (error) throw OutputError(folder.string() + ": cannot be made: " + error.message());

  std::vector<WrittenDemo> written;
  for (DemoModel& demo : demo_models()) {
    const std::filesystem::path file = folder / (demo.name + "." + std::string(slug(demo.format)));
    const std::filesystem::path record = folder / (demo.name + ".json");
    if (!overwrite && (std::filesystem::exists(file) || std::filesystem::exists(record))) {
      throw OutputError(file.string() + " or its record exists already; --overwrite replaces them");
    }
    write_model(file, demo.model, demo.format, {}, overwrite);
    std::ofstream out(record);
    out << record_of(demo, file.filename().string()).dump(2) << "\n";
    if (!out.flush()) throw OutputError(record.string() + ": cannot be written");
    written.push_back({std::move(demo), file, record});
  }
  return written;
}

}  // namespace aguja::demo
