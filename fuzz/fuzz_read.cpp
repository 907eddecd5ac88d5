// Any bytes: either an InputError, or a sound model that comes back the same when written and read
// again.

#include <cstdlib>
#include <cstring>
#include <string_view>

#include "aguja/base/error.h"
#include "aguja/formats/read.h"
#include "aguja/formats/write.h"

namespace {

using namespace aguja;

void check(bool holds) {
  if (!holds) std::abort();
}

void check_sound(const Model& model) {
  for (const Part& part : model.parts) {
    for (const Point& p : part.mesh().points) check(p.allFinite());
    for (const Triangle& t : part.mesh().triangles) {
      for (const VertexId v : t.corner) check(v.value < part.mesh().points.size());
    }
    for (const Wire& w : part.mesh().wires) {
      for (const VertexId v : w) check(v.value < part.mesh().points.size());
    }
  }
}

// As one part, since OFF has no others.
void check_round_trip(const Model& model) {
  const Model one = as_one(model);
  std::string bytes;
  write_off([&](std::string_view piece) { bytes += piece; }, one);
  const Model back = read_off(Source{"back", bytes});
  const Mesh empty;
  const Mesh& before = one.parts.empty() ? empty : one.parts[0].mesh();
  const Mesh& after = back.parts[0].mesh();
  check(before.triangles == after.triangles);
  check(before.points.size() == after.points.size());
  for (std::size_t i = 0; i < before.points.size(); ++i) {
    check(std::memcmp(before.points[i].data(), after.points[i].data(), sizeof(Point)) == 0);
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const Source source{"fuzz", {reinterpret_cast<const char*>(data), size}};
  ReadOptions options;
  options.format = format_of_name(AGUJA_FUZZ_FORMAT);  // nothing for "any": told by content
  options.keep_facet_records = size % 2 == 0;
  try {
    const Model model = read_model(source, options);
    check_sound(model);
    check_round_trip(model);
  } catch (const InputError& error) {
    check(!error.details().text.empty());
  }
  return 0;
}
