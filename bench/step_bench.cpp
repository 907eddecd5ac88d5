// Indexing a large STEP file, as a ratio to counting its semicolons; and STEP to a certified solid.
// Usage: bench_step [MEGABYTES [ROUNDS]]

#include <algorithm>
#include <atomic>
#include <cstdlib>
#include <cstring>

#include <fmt/format.h>

#include "aguja/base/parallel.h"
#include "aguja/formats/read_surfaces.h"
#include "aguja/solid/certificate.h"
#include "aguja/solid/prepare.h"
#include "bench/interleave.h"
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
  const std::vector<double> t =
      interleaved_medians({{"semicolons",
                            {},
                            [&] {
                              semicolons = 0;
                              parallel_ranges(large.size(), std::size_t{1} << 20, [&](Range r) {
                                const char* end = large.data() + r.end;
                                std::size_t count = 0;
                                for (const char* at = large.data() + r.begin;
                                     (at = static_cast<const char*>(std::memchr(
                                          at, ';', static_cast<std::size_t>(end - at)))) != nullptr;
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
                            }}},
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
  fmt::print("pod of {} kB to a certified solid: {:.3f} s\n", pod.size() / 1000, t[2]);
  return 0;
}
