// Any bytes as a STEP file: what was read of it loses a face, is mended as a body, and is written: then
// it is read again, or something is wrong.

#include <cstdint>
#include <cstdlib>
#include <string>
#include <string_view>

#include "aguja/base/error.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "aguja/mend/session.h"
#include "aguja/solid/prepare.h"

namespace {

using namespace aguja;

// What takes long finds little.
constexpr std::size_t kMostFuzzedTriangles = 3000;

// Facets of its faces are all there, and nothing but these.
void check_faces(const Part& part) {
  for (const SurfaceOrigin& origin : part.shape()->surfaces) {
    std::vector<std::uint32_t> facets(origin.body->body.faces.size());
    for (const PatchId patch : part.mesh().patch_of) {
      const std::uint32_t face = patch.value - origin.first_patch;
      if (face < facets.size()) ++facets[face];
    }
    if (facets != origin.body->facets) std::abort();
  }
}

Model without_a_face(const Model& read, std::size_t which) {
  MendSession session(read);
  Step step;
  step.number = 1;
  step.remedy = remedies::delete_;
  step.selection.part = read.parts[which % read.parts.size()].name;
  step.selection.patches = {std::to_string(which % 7)};
  session.run(step);
  Accepted all;
  all.all = true;
  for (const Step& next : session.propose(all)) {
    session.run(next);
    for (const Part& part : session.model().parts) check_faces(part);
  }
  return session.model();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view bytes(reinterpret_cast<const char*>(data), size);
  ReadOptions options;
  options.format = Format::step;
  Model model;
  try {
    SurfaceModel surfaces = read_surface_model({"fuzz", bytes}, options);
    const double diagonal = box_of(surfaces).diagonal();
    if (!(diagonal > 1e-6 && diagonal < 1e6)) return 0;
    PrepareOptions how;
    how.tessellation.chord = diagonal / 50;
    how.tessellation.angle = 1;
    model = prepare(std::move(surfaces), how);
    std::size_t triangles = 0;
    for (const Part& part : model.parts) triangles += part.mesh().triangles.size();
    if (triangles == 0 || triangles > kMostFuzzedTriangles) return 0;
    model = without_a_face(model, size);
  } catch (const InputError&) {
    return 0;
  } catch (const ArgumentError&) {
    return 0;
  }
  std::string text;
  static_cast<void>(write_step([&](std::string_view more) { text += more; }, model, {}));
  if (model.parts.empty()) return 0;
  try {
    static_cast<void>(read_surface_model({"written", text}, options));
  } catch (const InputError&) {
    std::abort();
  }
  return 0;
}
