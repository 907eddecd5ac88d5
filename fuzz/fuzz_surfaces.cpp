// Any bytes as a STEP or IGES file: an error with its place, or a surface model that can be sewn
// and made into triangles.

#include <cstdint>
#include <string_view>

#include "aguja/base/error.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/prepare.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace aguja;
  const std::string_view bytes(reinterpret_cast<const char*>(data), size);
  ReadOptions options;
  options.format = std::string_view(AGUJA_FUZZ_FORMAT) == "iges" ? Format::iges : Format::step;
  try {
    SurfaceModel model = read_surface_model({"fuzz", bytes}, options);
    // Sizes that no chord was meant for would be divided without end.
    const Box box = box_of(model);
    const double diagonal = (box.high - box.low).norm();
    if (!(diagonal > 1e-6 && diagonal < 1e6)) return 0;
    PrepareOptions how;
    how.tessellation.chord = diagonal / 50;
    how.tessellation.angle = 1;
    static_cast<void>(prepare(std::move(model), how));
  } catch (const InputError&) {
  } catch (const ArgumentError&) {
  }
  return 0;
}
