// Indexing a large STEP file, as a ratio to counting its semicolons; STEP to a certified solid;
// writing; and an edit of a body of many faces.
// Usage: bench_step [MEGABYTES [ROUNDS]]

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <numbers>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/formats/read.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/formats/write.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "aguja/surface/edit_body.h"
#include "bench/interleave.h"
#include "bench/shapes.h"
#include "demo/drawing.h"
#include "demo/surface_models.h"
#include "demo/surface_text.h"
#include "formats/part21.h"

namespace {

// The entities of one file again and again, numbered on.
std::string repeated(const std::string& text, std::size_t bytes) {
  const std::size_t begin = text.find("DATA;") + 6, end = text.rfind("ENDSEC;");
  const std::string data = text.substr(begin, end - begin);
  std::string out = text.substr(0, begin);
  std::size_t most = 0;
  for (std::size_t at = data.find('#'); at != std::string::npos; at = data.find('#', at + 1))
    most =
        std::max(most, static_cast<std::size_t>(std::strtoull(data.c_str() + at + 1, nullptr, 10)));
  for (std::size_t by = 0; out.size() < bytes; by += most) {
    for (std::size_t at = 0; at < data.size();) {
      out += data[at];
      if (data[at++] != '#') continue;
      char* rest = nullptr;
      out += std::to_string(std::strtoull(data.c_str() + at, &rest, 10) + by);
      at = static_cast<std::size_t>(rest - data.c_str());
    }
  }
  return out + text.substr(end);
}

// Each with a shape of its own.
aguja::Model copies_of(const aguja::Model& model, int count) {
  aguja::Model many;
  for (int i = 0; i < count; ++i) {
    many.parts.emplace_back("pod", aguja::Shape(*model.parts[0].shape()));
  }
  return many;
}

std::size_t bytes_of(const aguja::Model& model) {
  std::size_t bytes = 0;
  aguja::write_step([&](std::string_view more) { bytes += more.size(); }, model);
  return bytes;
}

// A polygon of so many corners, raised.
aguja::PreparedBodyPtr body_of_faces(int faces) {
  using namespace aguja;
  std::vector<demo::OutlineCorner> outline;
  for (int i = 0; i < faces - 2; ++i) {
    const double angle = 2 * std::numbers::pi * i / (faces - 2);
    outline.push_back({100 * std::cos(angle), 100 * std::sin(angle), 0});
  }
  const std::string text = demo::step_text(demo::raised_outline(outline, {}, 0, 10));
  return read_model(Source{"prism", text}).sources[0].bodies[0];
}

}  // namespace

int main(int argc, char** argv) {
  using namespace aguja;
  using namespace aguja::bench;
  const std::size_t megabytes = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 200;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 5;
  const std::string pod = demo::step_text(demo::draw_pod());
  const std::string large = repeated(pod, megabytes << 20);
  std::atomic<std::size_t> semicolons = 0;
  std::size_t entities = 0;
  Verdict verdict = Verdict::undecided;
  // Of surfaces, and of facets.
  const Model of_surfaces = copies_of(read_model(Source{"pod", pod}), 300);
  const Model of_facets = bumpy_torus(200000);
  std::array<std::size_t, 2> written{};
  const PreparedBodyPtr prism = body_of_faces(5000);
  FaceEdit edit;
  edit.dropped = {17};
  edit.turned = {4711};
  std::size_t left = 0;
  const std::vector<double> t = interleaved_medians(
      {{"semicolons",
        {},
        [&] {
          semicolons = 0;
          parallel_ranges(large.size(), std::size_t{1} << 20, [&](Range r) {
            const char* end = large.data() + r.end;
            std::size_t count = 0;
            for (const char* at = large.data() + r.begin;
                 (at = static_cast<const char*>(
                      std::memchr(at, ';', static_cast<std::size_t>(end - at)))) != nullptr;
                 ++at) {
              ++count;
            }
            semicolons += count;
          });
        }},
       {"index",
        {},
        [&] {
          entities = detail::Part21({"large", large}).size();
        }},
       {"solid",
        {},
        [&] {
          verdict = certify(prepare(read_surface_model({"pod", pod}))).verdict;
        }},
       {"surfaces out", {}, [&] { written[0] = bytes_of(of_surfaces); }},
       {"facets out", {}, [&] { written[1] = bytes_of(of_facets); }},
       {"edit", {}, [&] { left = edited(prism, edit).body.shells[0].faces.size(); }}},
      rounds);
  // The header's statements and the ends of sections have no entity.
  if (entities + 10 < semicolons || entities > semicolons || verdict != Verdict::solid) {
    fmt::print(stderr, "{} entities, {} semicolons, or the pod is not solid\n", entities,
               semicolons.load());
    return 1;
  }
  const auto bytes = static_cast<double>(large.size());
  fmt::print("{:.0f} MB, {} entities, {} threads, medians of {} runs\n\n", bytes / 1e6, entities,
             thread_count(), rounds);
  fmt::print("| job | ns/byte | x semicolons |\n|---|---|---|\n");
  fmt::print("| semicolons | {:.3f} | 1 |\n| index | {:.3f} | {:.2f} |\n", 1e9 * t[0] / bytes,
             1e9 * t[1] / bytes, t[1] / t[0]);
  fmt::print("\nindex: {:.2f} bytes a byte of the file\n",
             static_cast<double>(entities * sizeof(detail::Part21::Place)) / bytes);
  for (const std::size_t i : {std::size_t{0}, std::size_t{1}}) {
    const auto size = static_cast<double>(written[i]);
    fmt::print("{} written: {:.0f} MB, {:.0f} MB/s on one core\n", i == 0 ? "surfaces" : "facets",
               size / 1e6, size / 1e6 / t[3 + i]);
  }
  fmt::print("pod of {} kB to a certified solid: {:.3f} s\n", pod.size() / 1000, t[2]);
  fmt::print("one face of 5000 dropped, one turned: {:.2f} ms ({} left)\n", 1e3 * t[5], left);
  return 0;
}
