#pragma once
/// \file
/// The verdict: is every part of a model a solid?

#include <functional>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "aguja/model/model.h"
#include "aguja/solid/anatomy.h"
#include "aguja/solid/part_pairs.h"

namespace aguja {

enum class Verdict { solid, not_solid, undecided };
[[nodiscard]] std::string_view slug(Verdict verdict);

/// Why a verdict is not `solid`.
enum class ReasonKind {
  no_triangles,
  naked_edges,
  unbalanced_edges,  ///< used more often one way than the other
  nonmanifold_edges,
  nonmanifold_vertices,
  winding_conflicts,
  zero_area,
  zero_volume,
  inverted_shell,  ///< not inside another shell, yet facing inward
  nesting,         ///< a cavity facing outward, or a body within a body
  nesting_undecided,
  lost_faces,   ///< of its file's surfaces: what closes it there is a guess
  lost_shapes,  ///< of which nothing could be made
  crossing,     ///< triangles pass through each other
  overlap,      ///< triangles share area in a plane
  touch,        ///< triangles have contact beyond shared vertices and edges
  // Between parts, see `PartRelation`:
  parts_crossing,
  parts_identical,
  part_inside,
};
[[nodiscard]] std::string_view slug(ReasonKind kind);

struct Reason {
  ReasonKind kind;
  std::string part;       ///< empty: the whole model
  std::size_t count = 0;  ///< how many edges, vertices, triangles or shells
  std::string text;       ///< one sentence
  /// Does it speak against a solid, or only keep us from knowing?
  [[nodiscard]] bool refutes() const {
    return kind != ReasonKind::nesting_undecided && kind != ReasonKind::lost_shapes;
  }
};

struct CertifiedShell {
  std::string part;
  Shell shell;
  /// Index into `Certificate::shells`.
  std::optional<std::size_t> inside_of;
};

/// The evidence. It speaks of the coordinates given: whoever writes them to a file certifies the
/// file as read back.
struct Certificate {
  Verdict verdict = Verdict::undecided;
  std::vector<Reason> reasons;  ///< refuting ones first
  std::vector<CertifiedShell> shells;
  /// Of all parts together. `volume`, `centroid` and `inertia` mean something only if `encloses`.
  MassProperties mass;
  bool encloses = false;  ///< every edge of every part is used equally often both ways
  Counts counts;
  std::vector<Verdict> part_verdicts;  ///< of each part by itself
  std::vector<PartPair> pairs;         ///< parts that are not apart, worst first
};

/// What a part by itself says for and against a solid, in the coordinates of its shape.
struct PartEvidence {
  std::vector<Reason> reasons;  ///< without the name of the part
  std::vector<Shell> shells;
  bool encloses = false;  ///< every edge is used equally often both ways
  Counts counts;
  [[nodiscard]] bool is_solid() const { return reasons.empty(); }
};
[[nodiscard]] PartEvidence judge(const Anatomy& anatomy);

/// Gathers a certificate part by part, for who has their evidence already.
class Certifier {
 public:
  /// `placement` keeps lengths and angles.
  void add(const std::string& part, const PartEvidence& evidence, const Placement& placement = {});
  /// What lies between parts, and whether that is as it was meant to be.
  void add(std::vector<PartPair> pairs, const std::function<bool(const PartPair&)>& is_meant);
  /// After all parts: surfaces of files that are missing.
  void add(std::span<const LostSurface> lost);
  [[nodiscard]] Certificate finish() &&;

 private:
  Certificate certificate_;
  std::vector<MassProperties> regions_;
  std::vector<std::string> names_;  // of parts
  std::size_t parts_ = 0;
  std::size_t enclosing_ = 0;
};

/// See `volume_doubt` of measures.
[[nodiscard]] std::string volume_doubt(const Certificate& certificate);

struct CertifyOptions {
  /// What lies between parts is not looked at.
  bool parts_apart = false;
  /// Is such a pair meant to be as it is? Then it speaks against nothing. Empty: none is.
  std::function<bool(const Model&, const PartPair&)> is_meant = {};
};

/// Judges each part by itself, a shape that several have once, and then how parts lie to each other
/// (`relate_parts`): parts that cross, lie in each other's material or are there twice are no
/// solids together, each what it is by itself.
///
/// Promises  A part is found solid only if every edge has exactly two triangles, running opposite
///           ways along it, every vertex one fan, no triangle zero area, no two triangles meet but
///           in shared vertices and edges, and every shell is turned as its nesting demands; all of
///           it decided exactly. Then the winding number is 0 or 1 everywhere.
/// Cost     As `Anatomy`, and `relate_parts`.
/// Errors   ArgumentError, Cancelled.
[[nodiscard]] Certificate certify(const Model& model, const CertifyOptions& options = {},
                                  StageTimes* times = nullptr, Progress* progress = nullptr);

}  // namespace aguja
