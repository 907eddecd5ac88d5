#include "aguja/inspect/inspect.h"

#include <algorithm>
#include <tuple>
#include <unordered_map>

#include "inspect/check.h"

namespace aguja {
namespace {

// Worst first. Findings that agree in everything people see fall back on their id.
bool is_worse(const Finding& a, const Finding& b) {
  const auto key = [](const Finding& f) {
    return std::tuple(f.severity, f.kind, -f.measure, f.place.x(), f.place.y(), f.place.z());
  };
  const auto ka = key(a);
  const auto kb = key(b);
  if (ka != kb) return ka < kb;
  return std::tie(a.id, a.part) < std::tie(b.id, b.part);
}

// Equal defects (the same triangle three times in three parts) have equal digests.
void make_ids_unique(std::vector<Finding>& findings) {
  std::unordered_map<std::string, std::size_t> seen;
  for (Finding& f : findings) {
    const std::size_t times = ++seen[f.id];
    if (times > 1) f.id += "-" + std::to_string(times);
  }
}

template <class Work>
void timed(StageTimes* times, std::string_view stage, const Work& work) {
  if (times == nullptr) return work();
  times->time(stage, work);
}

}  // namespace

std::size_t Inspection::count(Severity severity) const {
  return static_cast<std::size_t>(std::count_if(
      findings.begin(), findings.end(), [&](const Finding& f) { return f.severity == severity; }));
}

Inspection inspect(const Model& model, const InspectOptions& options, StageTimes* times,
                   Progress* progress) {
  Inspection inspection;
  for (const Part& part : model.parts) {
    const Anatomy anatomy(part.mesh, times, progress);
    const Causes causes(anatomy, options.limits);
    const PartView view{part, anatomy, causes, options.limits};
    FindingSink sink(part.name, inspection);
    for (const RegisteredCheck& check : registered_checks()) {
      if (check.on_part == nullptr) continue;
      advance(progress, check.name, 0.0);
      timed(times, check.name, [&] { check.on_part(view, sink); });
    }
    inspection.part_counts.push_back(anatomy.counts());
    inspection.counts += inspection.part_counts.back();
  }
  FindingSink sink("", inspection);
  for (const RegisteredCheck& check : registered_checks()) {
    if (check.on_model == nullptr) continue;
    timed(times, check.name, [&] { check.on_model(model, options.limits, sink); });
  }
  std::sort(inspection.findings.begin(), inspection.findings.end(), is_worse);
  make_ids_unique(inspection.findings);
  return inspection;
}

}  // namespace aguja
