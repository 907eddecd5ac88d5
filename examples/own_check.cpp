// A check of one's own beside those that are built in: sides that are longer than an element may
// be. Usage: example_own_check FILE LONGEST

#include <cstdlib>
#include <iostream>

#include <aguja/formats/read.h>
#include <aguja/inspect/check.h>

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  const double longest = std::atof(argv[2]);
  aguja::Check check{.name = "long-sides", .kinds = {aguja::FindingKind::element_quality}};
  check.on_part = [&](const aguja::PartView& part, aguja::FindingSink& sink) {
    for (const aguja::Edge& edge : part.anatomy.edges.edges()) {
      const aguja::Point ends[] = {part.anatomy.welded.point(edge.low),
                                   part.anatomy.welded.point(edge.high)};
      const double length = (ends[1] - ends[0]).norm();
      if (length <= longest) continue;
      aguja::Finding finding;
      finding.kind = aguja::FindingKind::element_quality;
      finding.count = 1;
      finding.place = 0.5 * (ends[0] + ends[1]);
      finding.measure = length;
      finding.limit = longest;
      finding.detail = "a side longer than an element may be";
      sink.add(finding, ends);
    }
  };
  aguja::InspectOptions options;
  options.more_checks = std::span(&check, 1);
  for (const aguja::Finding& f : inspect(aguja::read_model(argv[1]), options).findings) {
    std::cout << f.id << ": " << f.measure << ", " << f.detail << "\n";
  }
}
