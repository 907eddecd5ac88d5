#pragma once
/// \file
/// Sewing: edges that lie on each other become one that two faces share. Surfaces do not move.

#include "aguja/surface/body.h"

namespace aguja {

struct SewOptions {
  /// The tolerance grows to its full value in this many steps, >= 1.
  int steps = 1;
};

/// An edge that was not joined, and why.
struct RefusedSeam {
  std::uint32_t edge = 0;
  std::string why;
};

/// What sewing did.
struct SewReport {
  std::size_t joined = 0;       ///< pairs of edges, or of pieces of them, that became one
  std::size_t divided = 0;      ///< edges that a vertex of another divided
  std::size_t open_before = 0;  ///< edges of the body given that one face uses, once
  std::size_t open_after = 0;   ///< of these, those with a piece for which that is still so
  double largest_gap = 0;       ///< between joined edges; never above the tolerance
  std::vector<RefusedSeam> refused;
  std::vector<std::uint32_t> turned;  ///< faces that were turned to agree with their neighbours
  /// Faces narrower than the tolerance without which more closes; they are no longer used.
  std::vector<std::uint32_t> closed_away;
};
struct SewResult : BodyChange, SewReport {};

/// Joins edges of faces that lie within `tolerance` of each other along their whole length, in
/// whole or in part: the longer one is divided where the shorter ends. What the file shares already
/// stays shared. What lies nearer is joined first. Faces of each connected piece are made to agree
/// with the first.
///
/// Where edges stay open within the tolerance of others, lower tolerances are tried, round numbers
/// down to a hundredth of it, and doing without faces that are narrower than these; what leaves the
/// fewest open counts: no round tolerance closes less than a smaller one.
///
/// Promises  All that becomes one vertex lies within the tolerance of each other. An edge gets two
///           uses at most: of three that coincide the nearest two are joined, the third is refused.
///           No two ends of one edge become one vertex. Every joined edge carries the measured
///           distance as its tolerance. Numbers of vertices, edges and faces keep their meaning
///           (see `Body`).
/// Cost      O(n log n) for n open edges that lie apart.
/// Errors    ArgumentError (a tolerance that is not finite or below 0).
[[nodiscard]] SewResult sew(const Body& body, double tolerance, const SewOptions& options = {});

/// A missing face that was closed by a plane.
struct ClosedPlane {
  std::uint32_t face = 0;  ///< the new one
  Point place = Point::Zero();
  double distance = 0;    ///< of its edges from the plane, at most
  std::size_t loops = 0;  ///< with those around its holes
  std::size_t edges = 0;
};

struct ClosePlanesResult : BodyChange {
  std::vector<ClosedPlane> closed;
};

/// Adds a plane face for each loop of open edges that is flat within `tolerance`; loops in the same
/// plane within it become its holes. Left open are rims that branch, and those of faces that lie in
/// that plane themselves.
/// Cost  O(n log n) for n open edges, and O(n m) for m loops in one plane.
[[nodiscard]] ClosePlanesResult close_planes(const Body& body, double tolerance);

}  // namespace aguja
