// File to welded mesh with edge table, as ratios to floors measured in the same run.
// Usage: bench_load [TRIANGLES [ROUNDS]]

#include <sys/resource.h>

#include <cstdlib>

#include <fmt/format.h>

#include "aguja/formats/read.h"
#include "aguja/formats/write.h"
#include "aguja/solid/anatomy.h"
#include "bench/floors.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

namespace {

using namespace aguja;

std::string text_of(const Model& model, Format format) {
  std::string bytes;
  write_model([&](std::string_view piece) { bytes += piece; }, model, format, {.text = true});
  return bytes;
}

std::size_t load(const std::string& bytes) {
  const Model model = read_model(Source{"bench", bytes});
  const Welded welded(model.parts[0].mesh());
  return EdgeTable(welded.triangles(), welded.points().size()).size();
}

void check(const std::string& bytes, std::size_t triangles) {
  if (load(bytes) == triangles / 2 * 3) return;
  fmt::print(stderr, "the mesh did not come back closed\n");
  std::exit(1);
}

}  // namespace

int main(int argc, char** argv) {
  using namespace aguja::bench;
  const std::size_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1000000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 7;
  const Model torus = bumpy_torus(wanted);
  const std::size_t n = triangle_count(torus);
  const std::string stl = binary_stl(torus);
  const std::string mixed = binary_stl(shuffled(torus));
  check(stl, n);
  check(mixed, n);

  Array<char> copy(stl.size());
  const std::vector<std::uint64_t> keys = edge_keys(n);
  std::vector<std::uint64_t> work, scratch;
  std::vector<Job> jobs = {
      {"F1 copy of the binary STL", {}, [&] { copy_floor(stl, copy); }},
      {"F2 parallel_sort of 3N keys", [&] { work = keys; }, [&] { parallel_sort_floor(work); }},
      {"radix sort of 3N keys, one thread", [&] { work = keys; },
       [&] { radix_sort_floor(work, scratch); }},
      {"binary STL to edge table", {}, [&] { load(stl); }},
      {"binary STL in random order", {}, [&] { load(mixed); }},
  };
  const std::vector<double> t = interleaved_medians(jobs, rounds);
  fmt::print("{} triangles, {} threads, medians of {} interleaved runs\n\n", n, thread_count(),
             rounds);
  fmt::print("| job | ns/triangle | x F1 | x radix sort |\n|---|---|---|---|\n");
  for (std::size_t j = 0; j < jobs.size(); ++j) {
    fmt::print("| {} | {:.1f} | {:.2f} | {:.2f} |\n", jobs[j].name,
               1e9 * t[j] / static_cast<double>(n), t[j] / t[0], t[j] / t[2]);
  }
  if (n > 3000000) return 0;

  fmt::print("\n| text | ns/triangle | x from_chars |\n|---|---|---|\n");
  for (const auto format : {Format::stl, Format::obj, Format::ply, Format::off}) {
    const std::string text = text_of(torus, format);
    check(text, n);
    double sum = 0;
    const std::vector<Job> pair = {{"from_chars", {}, [&] { sum += from_chars_floor(text); }},
                                   {"read", {}, [&] {
                                      static_cast<void>(read_model(Source{"bench", text}));
                                    }}};
    const std::vector<double> s = interleaved_medians(pair, rounds);
    fmt::print("| {} | {:.0f} | {:.2f} |\n", slug(format), 1e9 * s[1] / static_cast<double>(n),
               s[1] / s[0]);
  }
  return 0;
}
