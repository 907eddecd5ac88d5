#pragma once
/// \file
/// All triangles cut along all places where they meet, exactly.

#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "aguja/base/array.h"
#include "aguja/base/progress.h"
#include "aguja/geometry/exact_points.h"
#include "aguja/mesh/crossings.h"
#include "aguja/mesh/weld.h"

namespace aguja {

/// A triangle of the mesh that a piece of the arrangement is part of.
class PieceParent {
 public:
  PieceParent() = default;
  PieceParent(TriangleId triangle, bool opposite)
      : bits_((triangle.value << 1) | (opposite ? 1u : 0u)) {}
  [[nodiscard]] TriangleId triangle() const { return {bits_ >> 1}; }
  /// It faces the other way than the piece.
  [[nodiscard]] bool opposite() const { return (bits_ & 1u) != 0; }
  friend auto operator<=>(PieceParent, PieceParent) = default;

 private:
  std::uint32_t bits_;
};

/// The pieces into which triangles cut each other. Two of them have at most a vertex or an edge in
/// common, and that by number.
class Arrangement {
 public:
  using Piece = std::array<ExactPointId, 3>;

  [[nodiscard]] const ExactPoints& points() const { return *points_; }
  /// They face as the first of their parents does.
  [[nodiscard]] std::span<const Piece> pieces() const { return pieces_; }
  /// The triangles that a piece is part of: one, or more that lie on each other. Rising.
  [[nodiscard]] std::span<const PieceParent> parents(std::size_t piece) const {
    return {parents_.data() + first_parent_[piece],
            parents_.data() + first_parent_[std::size_t{piece} + 1]};
  }
  /// The plane of a piece, by the corners of its first parent.
  [[nodiscard]] PlaneOfPoints plane(std::size_t piece) const {
    const Triangle& t = triangles_[parents(piece)[0].triangle().value];
    return {t[0].value, t[1].value, t[2].value};
  }
  /// Nothing was cut, and nothing lies on each other.
  [[nodiscard]] bool is_as_given() const { return is_as_given_; }

 private:
  friend class Arranger;
  Arrangement() = default;

  Array<Point> given_;
  std::span<const Triangle> triangles_;
  std::unique_ptr<ExactPoints> points_;
  Array<Piece> pieces_;
  Array<std::uint32_t> first_parent_;
  Array<PieceParent> parents_;
  bool is_as_given_ = true;
};

/// The arrangement of all triangles of a mesh, which must outlive it. The given points of the result
/// are those of `mesh` by number (more may follow that help to define others); triangles of no area
/// are left out. Whether triangles belong to one body or to several is the caller's to know: join
/// the bodies to one mesh, and look up the parents.
///
/// Promises
///  1. Every triangle of non-zero area is the union of the pieces that name it; every piece names
///     all triangles that it lies in.
///  2. No two pieces meet but in a vertex or an edge that both have. Equal points have one number.
///  3. Each is decided exactly, for all finite coordinates below 1e150: any number of triangles
///     through one line, on one plane, at one vertex.
///  4. The same for any number of threads.
/// Cost     `find_crossings`, and O(k log k) for k pairs and for the k points that they make, of
///          which there may be the square of the pairs in one plane. 30 bytes per triangle that is
///          not cut. Parallel.
/// Errors   Cancelled; ArgumentError (larger coordinates).
/// Source   Zhou, Grinspun, Zorin, Jacobson: Mesh Arrangements for Solid Geometry, ACM TOG 35(4),
///          2016; Cherchi, Livesu, Scateni, Attene: Fast and Robust Mesh Arrangements using
///          Floating-point Arithmetic, ACM TOG 39(6), 2020 (points kept as what they are made of).
///          Ours cuts each plane once, whatever the number of triangles that lie on it.
[[nodiscard]] Arrangement arrange(const Welded& mesh, Progress* progress = nullptr);

/// The same with all pairs that meet known: those of `find_crossings`.
[[nodiscard]] Arrangement arrange(const Welded& mesh, std::span<const TrianglePair> pairs,
                                  Progress* progress = nullptr);

}  // namespace aguja
