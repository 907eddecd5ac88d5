#pragma once
// What surrounds an opening, and the surfaces that continue it: neighbouring surfaces carried on
// until they meet, creases carried across, curvature continued.

#include <functional>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "aguja/mend/openings.h"
#include "aguja/mesh/patches.h"
#include "mend/fill_division.h"

namespace aguja {

/// A mesh with what fills ask of it.
struct FillScene {
  const Mesh& mesh;
  const EdgeTable& edges;
  const VertexStars& stars;
  double tolerance;
  double diagonal;
};

/// Turns by more than this are creases (radians): as for patches.
inline constexpr double kCreaseAngle = 35 * 0.017453292519943295;

/// The rim of an opening with what is around it.
class Surroundings {
 public:
  Surroundings(const FillScene& scene, const Opening& opening);

  struct Edge {
    TriangleId triangle;  ///< of the mesh, on the rim edge
    Vector normal;        ///< its unit normal
    /// The surface that its patch was recognised as, and a number that equal ones share.
    std::optional<Primitive> surface;
    std::uint32_t group = 0;
  };
  /// By loop, by edge: from the loop's i-th vertex to the next.
  [[nodiscard]] const std::vector<std::vector<Edge>>& edges() const { return edges_; }
  /// The length that edges of a fill should have at a vertex.
  [[nodiscard]] double size_at(VertexId v) const;
  /// The directions in which creases run into the opening at a vertex; unit.
  [[nodiscard]] std::vector<Vector> creases_at(VertexId v) const;
  [[nodiscard]] double fit() const { return fit_; }
  /// How far the facets along the rim lie off a surface that they stand for.
  [[nodiscard]] double off(const Primitive& surface) const;
  [[nodiscard]] const FillScene& scene() const { return scene_; }

 private:
  void recognise(const Opening& opening);

  const FillScene& scene_;
  std::vector<std::vector<Edge>> edges_;
  double fit_ = 0;
};

/// A draft over one opening whose first points are those of its loops, one loop after another.
struct FillDraftResult {
  Draft draft;
  std::string why;
};
using DraftOutcome = std::variant<FillDraftResult, std::string>;  // or why not

[[nodiscard]] DraftOutcome draft_flat(const Surroundings& around, const Opening& opening,
                                      bool divide);
[[nodiscard]] DraftOutcome draft_taut(const Surroundings& around, const Opening& opening,
                                      bool divide);
[[nodiscard]] DraftOutcome draft_fair(const Surroundings& around, const Opening& opening);
[[nodiscard]] DraftOutcome draft_extended(const Surroundings& around, const Opening& opening,
                                          bool divide);
[[nodiscard]] DraftOutcome draft_creased(const Surroundings& around, const Opening& opening,
                                         bool divide);
struct RuledStart {
  std::optional<Point> start, other_start;
  bool reverse = false;
};
[[nodiscard]] DraftOutcome draft_ruled(const Surroundings& around, const Opening& opening,
                                       const RuledStart& start);

}  // namespace aguja
