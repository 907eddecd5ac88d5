#pragma once
/// \file
/// Healing of bodies before sewing: what is wrong with a face by itself, and can be put right from
/// what the file says elsewhere.

#include <optional>
#include <span>
#include <string_view>

#include "aguja/surface/body.h"

namespace aguja {

/// What can be healed, in the order in which it is done.
enum class Healing : std::uint8_t {
  loop_order,       ///< edges of a loop follow each other; several loops in one are parted
  short_edge,       ///< a short edge becomes one vertex
  loop_gap,         ///< ends of following edges within the tolerance become one vertex
  space_curve,      ///< an edge that runs off its surface gets its curve in parameters
  parameter_curve,  ///< a curve in parameters that runs elsewhere is made anew from the one in
                    ///< space
  natural_bounds    ///< a face whose loops cannot be used gets all of its surface's domain
};
[[nodiscard]] std::string_view slug(Healing healing);
[[nodiscard]] std::string_view explanation(Healing healing);
[[nodiscard]] std::span<const Healing> all_healings();
/// Those that need no decision: they keep the shape, within the tolerance.
[[nodiscard]] std::vector<Healing> safe_healings();
[[nodiscard]] std::optional<Healing> parse_healing(std::string_view slug);

/// One thing that was healed, or could not be.
struct Healed {
  Healing healing = Healing::loop_order;
  std::uint32_t face = 0;
  EntityNumber entity = 0;  ///< of the loop, edge or face; 0 if the file has none
  Point place = Point::Zero();
  /// How far anything was moved; for curves, how far the one that was replaced lay off.
  double distance = 0;
  std::string detail;
};

struct HealResult : BodyChange {
  std::vector<Healed> healed;
  std::vector<Healed> refused;  ///< `detail` says why
};

/// Heals what `wanted` names. `short_edge`: up to which length an edge is short, at most `tolerance`,
/// which it is if left out.
///
/// Promises  No vertex moves: of two that become one the first stays, and they lay within
///           `tolerance`. Surfaces do not change. Every change is listed. Numbers of vertices, edges
///           and faces keep their meaning (see `Body`).
/// Cost      O(n log n) for n edges; `natural_bounds` tries each face, which takes as long as making
///           triangles of it.
/// Errors    ArgumentError (a tolerance that is not finite or below 0; a longer short edge).
[[nodiscard]] HealResult heal(const Body& body, double tolerance, std::span<const Healing> wanted,
                              std::optional<double> short_edge = {});

/// The edge in the surface's parameters: a polyline whose pieces lie, on the surface, within
/// `tolerance` of the edge, or of 4096 pieces.
/// Errors  ArgumentError (an edge without a curve or ends).
[[nodiscard]] CurvePtr curve_in_parameters(const Surface& surface, const BodyEdge& edge,
                                           double tolerance);

/// Loops with the edges and vertices that they need, numbered from those that a body has already.
struct AddedLoops {
  std::vector<BodyVertex> vertices;
  std::vector<BodyEdge> edges;
  std::vector<FaceLoop> loops;
};
/// The loops that bound all of the surface's domain, for a face of `body`; none where the surface is
/// closed.
/// Errors  ArgumentError (a surface without bounds).
[[nodiscard]] AddedLoops natural_bounds(const SurfacePtr& surface, const Body& body,
                                        EntityNumber entity);
/// Puts what the loops need last; gives the loops.
[[nodiscard]] std::vector<FaceLoop> put_into(Body& body, AddedLoops added);

/// Edges of a loop in an order, and turned, such that each begins where the one before ends.
struct OrderedLoops {
  std::vector<FaceLoop> loops;
  std::size_t moved = 0;   ///< edges that have another place
  std::size_t turned = 0;  ///< edges that run the other way
};
/// Empty if the edges cannot be ordered: `why` says so then. Ends are the same where they are one
/// vertex or lie within `tolerance`.
[[nodiscard]] std::optional<OrderedLoops> ordered_loops(const Body& body, const FaceLoop& loop,
                                                        double tolerance, std::string* why);

}  // namespace aguja
