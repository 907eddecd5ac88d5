#include <iostream>
#include <utility>

#include <aguja/inspect/inspect.h>
#include <aguja/solid/certificate.h>

int main() {
  aguja::PartDraft part;
  part.name = "tetrahedron";
  part.mesh.points = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}};
  part.mesh.triangles = {{0, 2, 1}, {0, 1, 3}, {0, 3, 2}};
  aguja::Model model;
  model.parts.emplace_back(std::move(part));
  const aguja::Inspection found = aguja::inspect(model);
  for (const aguja::Finding& f : found.findings) std::cout << f.id << '\n';
  return found.findings.size() == 1 && found.findings[0].kind == aguja::FindingKind::opening ? 0
                                                                                             : 1;
}
