// What a step of a session costs against an inspection: fills of small openings, one after another
// and together, undo and redo; a triangle that is dropped, and an inspection after that. Usage:
// bench_session [TRIANGLES [ROUNDS]]

#include <cstdlib>

#include <fmt/format.h>

#include "aguja/mend/session.h"
#include "bench/interleave.h"
#include "bench/shapes.h"

namespace {

constexpr std::size_t kOpenings = 12;

// Every so often a triangle is missing.
aguja::Model with_openings(std::size_t triangles) {
  aguja::Model model = aguja::bench::bumpy_torus(triangles);
  aguja::PartDraft part(std::move(model.parts[0]));
  aguja::SharedArray<aguja::Triangle> left;
  const std::size_t step = part.mesh.triangles.size() / kOpenings;
  for (std::size_t t = 0; t < part.mesh.triangles.size(); ++t) {
    if (t % step != step / 2) left.push_back(part.mesh.triangles[t]);
  }
  part.mesh.triangles = std::move(left);
  part.mesh.points_are_distinct = true;  // as readers leave it
  part.facets = {};
  model.parts[0] = std::move(part);
  return model;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace aguja;
  const std::size_t triangles = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1'000'000;
  const int rounds = argc > 2 ? std::atoi(argv[2]) : 3;
  const Model model = with_openings(triangles);
  // The openings, found once: each round begins with a session that knows them.
  std::vector<Step> fills;
  std::unique_ptr<MendSession> session;
  const auto begin = [&] {
    session = std::make_unique<MendSession>(model, SessionOptions{.tolerance = 0});
    static_cast<void>(session->inspect());
  };
  begin();
  for (const Finding& f : session->inspect().findings) {
    if (f.kind != FindingKind::opening) continue;
    Step step;
    step.number = fills.size() + 1;
    step.remedy = remedies::fill;
    step.selection.ids = {f.id};
    step.settings["method"] = std::string("flat");
    fills.push_back(step);
  }
  Step drop;
  drop.number = 1;
  drop.remedy = remedies::drop;
  drop.selection.triangles = {{1, 1}};
  drop.settings["may_bare"] = true;
  std::size_t filled = 0;
  bool dropped = false;
  const auto run_drop = [&] { dropped = session->run(drop).changed; };
  const auto medians = bench::interleaved_medians(
      {{"inspect",
        [&] { session = std::make_unique<MendSession>(model, SessionOptions{.tolerance = 0}); },
        [&] { static_cast<void>(session->inspect()); }},
       {"fills, one by one",
        {},
        [&] {
          filled = 0;
          for (const Step& step : fills) {
            filled += static_cast<std::size_t>(session->run(step).changed);
          }
        }},
       {"undo all and redo",
        {},
        [&] {
          session->undo(fills.size());
          session->redo(fills.size());
        }},
       {"fills, together", begin, [&] { static_cast<void>(session->run(fills)); }},
       {"drop", begin, run_drop},
       {"inspect after it", {}, [&] { static_cast<void>(session->inspect()); }}},
      rounds);
  if (fills.size() != kOpenings || filled != kOpenings || !dropped) {
    fmt::print(stderr, "{} openings, {} filled; dropped: {}\n", fills.size(), filled, dropped);
    return 1;
  }
  const double inspection = medians[0];
  fmt::print("{} triangles, {} openings; an inspection takes {:.3f} s\n\n", triangles, kOpenings,
             inspection);
  fmt::print("| | of an inspection, % |\n|---|---|\n");
  fmt::print("| a fill by itself | {:.2f} |\n", 100 * medians[1] / kOpenings / inspection);
  fmt::print("| a fill among {} | {:.2f} |\n", kOpenings,
             100 * medians[3] / kOpenings / inspection);
  fmt::print("| undo and redo of a step | {:.5f} |\n", 100 * medians[2] / kOpenings / inspection);
  fmt::print("| a triangle dropped | {:.2f} |\n", 100 * medians[4] / inspection);
  fmt::print("| an inspection after that | {:.2f} |\n", 100 * medians[5] / inspection);
}
