// A remedy of one's own, run in a session: every triangle is divided in three at its middle.
// Usage: example_own_remedy FILE OUTPUT

#include <iostream>

#include <aguja/formats/read.h>
#include <aguja/formats/write.h>
#include <aguja/mend/session.h>

namespace {

aguja::Change divide(const aguja::RemedyInput& in) {
  aguja::Change change = unchanged(in.mesh, in.budget);
  for (const aguja::TriangleId t : in.target.triangles) {
    const aguja::Triangle whole = in.mesh.triangle(t);
    const aguja::VertexId middle{static_cast<std::uint32_t>(change.mesh.points.size())};
    change.mesh.points.push_back(
        (in.mesh.point(whole[0]) + in.mesh.point(whole[1]) + in.mesh.point(whole[2])) / 3.0);
    change.mesh.triangles[t.value] = {{whole[0], whole[1], middle}};
    for (std::size_t c = 1; c < 3; ++c) {
      change.mesh.triangles.push_back({{whole[c], whole[(c + 1) % 3], middle}});
      if (!in.mesh.patch_of.empty()) {
        change.mesh.patch_of.push_back(aguja::PatchId{in.mesh.patch_of[t.value]});
      }
      change.parent.push_back(t);
      change.spent.push_back(in.budget.spent_at(t));
    }
    ++change.done;
  }
  change.mesh.points_are_distinct = false;
  return change;
}

const aguja::RemedyInfo kDivide = {
    .slug = "divide", .what = "triangles are divided at their middle", .run = divide};

}  // namespace

int main(int argc, char** argv) {
  if (argc < 3) return 2;
  aguja::MendSession session(aguja::read_model(argv[1]));
  aguja::Step step;
  step.number = 1;
  step.remedy = kDivide;
  step.selection.triangles = {{0, 9}};
  for (const aguja::LedgerLine& line : session.run(step).lines) {
    std::cout << line.part << ": " << line.done << " divided, " << line.triangles_added
              << " triangles added, moved by " << line.largest_movement << "\n";
  }
  write_model(argv[2], session.model(), aguja::Format::ply, {}, true);
}
