#include "aguja/solid/set_operation.h"

#include <algorithm>
#include <array>

#include "aguja/base/error.h"

namespace aguja {
namespace {

constexpr std::array<std::string_view, 3> kSetOperations = {"union", "difference", "intersection"};

// All operands as one mesh, with a label for each triangle.
struct JoinedOperands {
  Mesh mesh;
  std::vector<std::uint32_t> label_of;
  std::vector<std::string> patch_names;
};

JoinedOperands join(std::span<const SetOperand> operands) {
  JoinedOperands all;
  for (std::uint32_t label = 0; label < operands.size(); ++label) {
    for (const Part& part : operands[label].parts) {
      const Mesh& mesh = part.mesh();
      const auto first = static_cast<std::uint32_t>(all.mesh.points.size());
      const auto patch = static_cast<std::uint32_t>(all.patch_names.size());
      for (const Point& p : mesh.points) all.mesh.points.push_back(p);
      for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
        Triangle own = mesh.triangles[t];
        for (VertexId& v : own.corner) v.value += first;
        all.mesh.triangles.push_back(own);
        all.mesh.patch_of.push_back({patch + (mesh.patch_of.empty() ? 0 : mesh.patch_of[t].value)});
        all.label_of.push_back(label);
      }
      if (mesh.patch_of.empty()) {
        all.patch_names.push_back(part.name);
        continue;
      }
      all.patch_names.insert(all.patch_names.end(), part.patch_names().begin(),
                             part.patch_names().end());
      all.patch_names.resize(patch + patch_count(*part.shape()));
    }
  }
  return all;
}

// A closed surface should wind once around what it bounds, and around nothing else.
void find_problems(const DividedSpace& space, std::vector<OperandFacts>& operands) {
  const WindingCells& cells = space.cells();
  for (std::uint32_t c = 0; c < cells.count(); ++c) {
    for (std::size_t l = 0; l < operands.size(); ++l) {
      const std::int32_t w = cells.of(c)[l];
      if (w < 0) operands[l].problem = "part of its surface faces inward";
      if (w > 1 && operands[l].problem.empty()) {
        operands[l].problem = "it fills the same space more than once";
      }
    }
  }
}

MaterialRule rule_of(SetOperation operation) {
  switch (operation) {
    case SetOperation::union_of_all:
      return is_in_union;
    case SetOperation::difference:
      return [](std::span<const std::int32_t> w) {
        return w[0] > 0 &&
               std::none_of(w.begin() + 1, w.end(), [](auto other) { return other > 0; });
      };
    case SetOperation::intersection:
      return [](std::span<const std::int32_t> w) {
        return std::all_of(w.begin(), w.end(), [](auto each) { return each > 0; });
      };
  }
  throw InternalError("no such set operation");
}

}  // namespace

std::string_view slug(SetOperation operation) {
  return kSetOperations.at(static_cast<std::size_t>(operation));
}

std::optional<SetOperation> parse_set_operation(std::string_view slug) {
  for (std::size_t i = 0; i < kSetOperations.size(); ++i) {
    if (kSetOperations[i] == slug) return static_cast<SetOperation>(i);
  }
  return std::nullopt;
}

OperandFacts facts_of_operand(const SetOperand& operand, Progress* progress) {
  OperandFacts facts;
  facts.name = operand.name;
  Model model;
  model.parts = operand.parts;
  const Certificate certificate = certify(model, {}, nullptr, progress);
  facts.verdict = certificate.verdict;
  if (certificate.encloses) {
    facts.volume = certificate.mass.volume;
  } else {
    facts.problem = certificate.shells.empty() ? "it has no surface" : "its surface is open";
  }
  return facts;
}

SetOperationResult combine_solids(std::span<const SetOperand> operands, SetOperation operation,
                                  const SetOperationOptions& options, Progress* progress) {
  if (operands.size() < 2) throw ArgumentError("combine_solids: two operands at least are needed");
  SetOperationResult result;
  for (const SetOperand& o : operands) result.operands.push_back(facts_of_operand(o, progress));
  const auto has_problem = [&] {
    return std::any_of(result.operands.begin(), result.operands.end(),
                       [](const OperandFacts& o) { return !o.problem.empty(); });
  };
  if (has_problem()) return result;
  const JoinedOperands all = join(operands);
  const DividedSpace space(all.mesh, all.label_of, operands.size(), progress);
  result.pairs = space.pairs().size();
  find_problems(space, result.operands);
  if (has_problem()) return result;
  MaterialBoundary boundary =
      boundary_of(space, rule_of(operation),
                  {.to_float = options.round_to_float, .most_moved = options.most_moved}, progress);
  result.rounding = boundary.rounding;
  if (boundary.rounding.crossing > 0) return result;
  std::vector<bool> is_left(operands.size(), false);
  for (const TriangleId t : boundary.maps.parent) is_left[all.label_of[t.value]] = true;
  for (std::size_t l = 0; l < operands.size(); ++l) {
    if (!is_left[l]) result.gone.push_back(operands[l].name);
  }
  Shape shape;
  shape.mesh = std::move(boundary.mesh);
  shape.patch_names = all.patch_names;
  result.part.emplace(operands[0].name, std::move(shape));
  return result;
}

std::vector<PieceFacts> pieces_of(const Certificate& certificate) {
  std::vector<PieceFacts> pieces;
  std::vector<std::size_t> piece_of(certificate.shells.size(), 0);
  for (std::size_t s = 0; s < certificate.shells.size(); ++s) {
    const CertifiedShell& own = certificate.shells[s];
    if (own.shell.depth % 2 != 0) continue;
    piece_of[s] = pieces.size();
    pieces.push_back({own.part, own.shell.mass.volume, 1, own.shell.genus, own.shell.box.center()});
  }
  for (const CertifiedShell& own : certificate.shells) {
    if (own.shell.depth % 2 == 0 || !own.inside_of) continue;
    PieceFacts& around = pieces[piece_of[*own.inside_of]];
    around.volume += own.shell.mass.volume;
    ++around.shells;
  }
  return pieces;
}

}  // namespace aguja
